# Names, prompts and paths that mean something to SQL, shells, ssh, spreadsheets, HTML and paths:
# every command works with them, and nothing of what they say happens.

nasty_words <- c(
  "'; DROP TABLE takes; --", "\" OR 1=1 --", "$(touch owned)", "`touch owned`", "; touch owned #",
  "| touch owned", "&& touch owned", "=cmd|'/C calc'!A0", "+1+1", "-2+3", "@SUM(A1:A9)",
  "%s%s%n", "%d.png", "{say}", "<script>owned()</script>", "\" onload=\"owned()", "a\u0301 \u00e9",
  "\u4f60\u597d", "-oProxyCommand=touch owned", "--yes", "~root", "*", "?", "[a]", "\\n", "null",
  "NA", "TRUE", "1e9", " leading", "trailing ", strrep("long ", 60)
)

# File names may hold all but a slash.
nasty_files <- c(
  "r'; DROP TABLE takes; --.png", "r $(touch owned).png", "r`touch owned`.png", "-rf.png",
  "--out=x.png", "r;touch owned.png", "r|x.png", "r%d.png", "r%s.png", "=1+1.png", "r \"q\".png",
  "r\u00e9.png", "r&x.png", "r*.png", "r[1].png", "r#1.png"
)

write_nasty_trial <- function(folder) {
  write_base_trial(folder, cases = 1, seeds = 1)
  picture <- file.path(folder, "references", "r1.png")
  files <- file.path("references", nasty_files)
  file.copy(picture, file.path(folder, files))
  count <- max(length(nasty_words), length(files))
  quote <- function(text) as.character(jsonlite::toJSON(text, auto_unbox = TRUE))
  cases <- vapply(seq_len(count), function(i) {
    word <- nasty_words[1 + (i - 1) %% length(nasty_words)]
    file <- files[1 + (i - 1) %% length(files)]
    paste0(
      "  - {id: c", i, ", job: restyle, reference: ", quote(file),
      ", prompt: [", quote(paste(word, "x")), ", {say: ", quote(paste("say", word)),
      ", probe: {colour: teal, share: at least 0.1}}], negative: [", quote(paste("no", word)), "]}"
    )
  }, "")
  writeLines(
    c("suite: nasty", "title: \"=1+1 $(touch owned)\"", "seeds: [1]", "size: [96, 64]", "cases:", cases),
    file.path(folder, "suite.yml")
  )
  writeLines(
    c(
      "engines:",
      "  echo: {kind: function, file: engine.R}",
      "pipelines:",
      "  - {id: near, engine: echo}",
      "  - {id: far, engine: echo, settings: {mix: 0.9}}"
    ),
    file.path(folder, "lineup.yml")
  )
  writeLines(
    c(
      "engine(list(name = 'echo', version = '=1+1', checkpoints = list(a = list()),",
      "  takes = 'negative', settings = list(mix = c(0, 1))),",
      "  function(request) {",
      "    mix <- if (is.null(request$settings$mix)) 0.2 else request$settings$mix",
      "    set.seed(request$seed)",
      "    noise <- array(runif(length(request$reference)), dim(request$reference))",
      "    engine_result(request$reference * (1 - mix) + noise * mix,",
      "      says = list(`=1+1` = request$text))",
      "  })"
    ),
    file.path(folder, "engine.R")
  )
  writeLines(
    c("brief: \"=1+1 <script>owned()</script>\"", "weights: {structure: 1}", "style: stay"),
    file.path(folder, "brief.yml")
  )
  folder
}

run_words <- function() {
  # The folder's own name is one of the words.
  place <- file.path(work, "a $(touch owned) 'q'")
  dir.create(place)
  trial <- write_nasty_trial(file.path(place, "-trial; touch owned"))
  path <- file.path(".", basename(trial))
  commands <- list(
    c("check", path), c("run", path, "--workers", "2"), c("check", path, "--run", "main"),
    c("plan", path), c("choose", path, "--out", "t'r.png"), c("explain", path, "near"),
    c("sheet", path, "--out", "s$(touch owned).png"), c("report", path, "--out", "r;x.html", "--full"),
    c("prepare", path), c("export", path, "--as", "csv", "--out", "t ables"),
    c("export", path, "--as", "parquet", "--out", "p$(touch owned)"),
    c("export", path, "--as", "pictures", "--out=-named"), c("export", path, "--out", "c'r.zip"),
    c("pack", path, "--out", "p'k.zip"), c("new", "from zip", "--from", "p'k.zip"),
    c("new", "from $(x)", "--from", file.path(path, "references")), c("prune", path, "--yes"),
    c("evidence", path), c("run", path, "--run", "'; DROP TABLE takes; --"),
    c("sheet", path, "--case", "'; DROP"), c("explain", path, "$(touch owned)")
  )
  # The last ones name what is not there.
  wanted <- c(rep(0, length(commands) - 3), 2, 2, 2)
  for (i in seq_along(commands)) {
    words <- commands[[i]]
    ended <- run_command(words, place, 300, what = paste("words:", words[1]))
    if (ended$status != wanted[i]) {
      found(
        "words: ", paste(words, collapse = " "), " ended with status ", ended$status, ": ",
        paste(head(ended$said, 6), collapse = " ")
      )
    }
  }

  owned <- list.files(work, "^owned$", recursive = TRUE, all.files = TRUE)
  if (length(owned)) {
    found("words: a command was run, which left ", owned[1])
  }

  look_at_tables(file.path(place, "t ables"))
  report <- file.path(place, "r;x.html")
  report <- if (file.exists(report)) readLines(report, warn = FALSE)
  if (any(grepl("<script>owned", report, fixed = TRUE))) {
    found("words: the report holds a script from a name")
  }

  say(
    "words: %d words and %d file names through %d commands; %d finds",
    length(nasty_words), length(nasty_files), length(commands), length(finds)
  )
}

# No cell of a table begins as a formula does.
look_at_tables <- function(folder) {
  for (file in list.files(folder, "csv$", full.names = TRUE)) {
    table <- read.csv(file, colClasses = "character", na.strings = character())
    for (name in names(table)) {
      bad <- grep("^[=+@\t\r]|^-[^0-9]", table[[name]], value = TRUE)
      if (length(bad)) {
        found("words: ", basename(file), " has the formula ", bad[1], " in ", name)
      }
    }
  }
}
