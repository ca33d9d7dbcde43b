test_that("help names every command, and every command has help with its options", {
  help <- run_cli("help")
  commands <- cli_commands()
  expect_equal(help$status, 0)
  for (word in names(commands)) {
    expect_match(help$out, paste0("sprenn ", word, " "), all = FALSE)
    own <- run_cli(word, "--help")
    expect_equal(own$status, 0, info = word)
    expect_match(paste(own$out, collapse = " "), paste0("sprenn ", word))
  }

  expect_true(all(nchar(help$out) <= 100))
  expect_match(run_cli("--version")$out, "^sprenn [0-9.]+")
})

test_that("a typing error is answered with the nearest word and status 2", {
  plna <- run_cli("plna", "x")
  expect_equal(plna$status, 2)
  expect_match(plna$err, "Did you mean \"plan\"", all = FALSE)
  option <- run_cli("run", "x", "--rtry")
  expect_equal(option$status, 2)
  expect_match(option$err, "Did you mean --retry", all = FALSE)
  expect_equal(run_cli("plan")$status, 2)
  expect_equal(run_cli("plan", "a", "b")$status, 2)
  words <- run_cli("watch", "x", "--for", "20min", "--port", "any")
  expect_equal(words$status, 2)
  expect_match(words$err, "--for takes a number \\(stop after so many seconds\\)", all = FALSE)
  expect_match(words$err, "--port takes a whole number", all = FALSE)
  expect_equal(run_cli("measure", "a.png")$status, 2)
})

test_that("every step is a command that works on any trial", {
  folder <- small_trial()
  check <- run_cli("check", folder)
  expect_equal(check$status, 0)
  expect_match(check$out, "there are no warnings", all = FALSE)
  plan <- run_cli("plan", folder)
  expect_match(plan$out, "^all +12 +6.00", all = FALSE)
  expect_false(dir.exists(file.path(folder, "runs")))
  run <- run_cli("run", folder)
  expect_equal(run$status, 0)
  expect_match(run$err, "made 12 of 12, measured 12 of 12", all = FALSE)
  expect_match(run$out, "12 takes made, 0 failed or refused, cost 6.00", all = FALSE)
  expect_match(run_cli("score", folder)$out, "12 takes measured", all = FALSE)
  choose <- run_cli("choose", folder)
  expect_match(choose$out[1], "Use firm")
  out <- withr::local_tempfile(fileext = ".png")
  expect_equal(run_cli("sheet", folder, "--out", out, "--width", "800")$status, 0)
  expect_true(file.exists(out))
  expect_match(run_cli("report", folder)$out, "report.html")
  expect_equal(run_cli("choose", folder, "--run", "other")$status, 2)
})

test_that("a broken trial reports every problem on stderr with status 2 and writes nothing", {
  folder <- small_trial(suite = sub("seeds:", "seds:", small_suite))
  for (word in c("check", "plan", "run", "score", "choose", "sheet", "report")) {
    said <- run_cli(word, folder)
    expect_equal(said$status, 2, info = word)
    expect_match(said$err[1], "2 problems", info = word)
    expect_match(said$err, "did you mean \"seeds\"", all = FALSE)
  }

  expect_setequal(
    list.files(folder),
    c("brief.yml", "lineup.yml", "mixer.R", "references", "suite.yml", "twin.R")
  )
})

test_that("check groups warnings by file, and leaves with 1 when it is to be strict", {
  folder <- small_trial(
    suite = sub(
      "reference: references/one.png",
      "reference: {picture: references/one.png, box: [-0.2, 0, 0.9, 1]}",
      small_suite,
      fixed = TRUE
    )
  )
  said <- run_cli("check", folder)
  expect_equal(said$status, 0)
  at <- match("suite.yml: 1 warning", said$out)
  expect_equal(said$out[at + 1], "  line 5, cases[1].reference: box beyond")
  expect_match(said$out[at + 2], "^    found  a box beyond the left edge of one.png")
  expect_true(
    all(nchar(grep(folder, said$out, fixed = TRUE, value = TRUE, invert = TRUE)) <= 100)
  )
  expect_equal(run_cli("check", folder, "--strict")$status, 1)
  expect_equal(run_cli("check", small_trial(), "--strict")$status, 0)
})

test_that("what is prepared, packed and drafted is said with where it is", {
  folder <- small_trial()
  out <- file.path(withr::local_tempdir(), "shown")
  said <- run_cli("prepare", folder, "--out", out, "--width", "700")
  expect_equal(said$status, 0)
  expect_match(said$out, "3 cases, 0 warnings", all = FALSE)
  expect_true(file.exists(file.path(out, "sheet-1.png")))
  zip <- withr::local_tempfile(fileext = ".zip")
  said <- run_cli("pack", folder, "--out", zip)
  expect_equal(said$status, 0)
  expect_match(said$out, "R code that runs whenever the trial is read: mixer.R", all = FALSE)
  said <- run_cli("new", file.path(withr::local_tempdir(), "again"), "--from", zip)
  expect_equal(said$status, 0)
  expect_match(said$out[1], "R files inside run")
  expect_equal(run_cli("caption", folder)$status, 2)
  expect_match(
    run_cli("caption", folder, "--engine", "mixer")$err,
    "can't caption",
    all = FALSE
  )
  demo <- file.path(withr::local_tempdir(), "demo")
  new_trial(demo, demo = TRUE, cases = 1)
  said <- run_cli("caption", demo, "--engine", "bracken", "--join")
  expect_match(said$out, "^windmill-linocut: \\+ a windmill on a hill", all = FALSE)
  expect_match(said$out, "1 prompt drafted", all = FALSE)
})

test_that("failed takes make status 1 and are told with their reason", {
  withr::defer(assign("mixing_engine", mixing_engine, globalenv()))
  assign(
    "mixing_engine",
    function() {
      mixing_engine(broken = function(request) {
        if (request$seed == 2) {
          engine_failure("busy", "come back later", retry_after = 0)
        }
      })
    },
    globalenv()
  )
  folder <- small_trial()
  run <- run_cli("run", folder)
  expect_equal(run$status, 1)
  expect_match(paste(run$out, collapse = " "), "firm, one, seed 2, busy: come back later")
})

test_that("one picture can be measured", {
  reference <- picture_file(scene(1))
  take <- picture_file(1 - scene(1))
  said <- run_cli("measure", take, "--against", reference)
  expect_equal(said$status, 0)
  expect_match(said$out, "^structure +orientation", all = FALSE)
  expect_match(said$out, "0 chance, 1 the same layout", all = FALSE)
  expect_equal(run_cli("measure", take, "--against", "gone.png")$status, 2)
})

test_that("pictures of one's own go from a folder to a verdict by commands alone", {
  from <- withr::local_tempdir()
  for (i in 1:3) {
    png::writePNG(
      draw_tile(c("salt", "mast", "kites")[i], 120, 80, i),
      file.path(from, paste0("p", i, ".png"))
    )
  }

  folder <- file.path(withr::local_tempdir(), "own")
  new <- run_cli("new", folder, "--from", from, "--prompt", "a cream sky")
  expect_equal(new$status, 0)
  expect_match(new$out, "sprenn run", all = FALSE)
  writeLines(
    sub("size: 576 ", "size: 128 ", readLines(file.path(folder, "suite.yml"))),
    file.path(folder, "suite.yml")
  )
  for (word in c("check", "plan", "run", "score", "choose", "sheet", "report")) {
    expect_equal(run_cli(word, folder)$status, 0, info = word)
  }
})

test_that("progress is a redrawn line in a terminal and a line a tenth elsewhere", {
  log <- withr::local_tempfile()
  stream <- file(log, "wt")
  tick <- progress_bar("making", stream, live = FALSE)
  for (i in 1:40) {
    tick(done = i, total = 40, failed = 0, seconds = i)
  }

  live <- progress_bar("making", stream, live = TRUE)
  for (i in 1:3) {
    live(done = i, total = 3, failed = 1, seconds = 100)
  }

  close(stream)
  lines <- readLines(log)
  expect_equal(lines[1], "making 1 of 40")
  expect_equal(lines[11], "making 40 of 40, 40 s")
  expect_match(lines, "^########\\.+ making 1 of 3, 1 failed", all = FALSE)
  expect_match(progress_text("making", 50, 400, 0, 60), "about 7 min left")
})

test_that("the launcher passes on words and status", {
  skip_on_os("windows")
  shell <- launcher()
  expect_equal(
    system2("sh", c(shell, "--version"), stdout = TRUE),
    paste("sprenn", packageVersion("sprenn"), "")
  )
  expect_equal(
    suppressWarnings(system2(
      "sh",
      c(shell, "plan", "/nowhere"),
      stdout = FALSE,
      stderr = FALSE
    )),
    2
  )
})

test_that("every command has an example, and shells are told all words", {
  commands <- cli_commands()
  for (name in names(commands)) {
    expect_match(commands[[name]]$examples, paste0("^sprenn ", name), info = name)
  }

  bash <- run_cli("completions", "bash")$out
  for (name in names(commands)) {
    expect_match(bash, paste0("^ +", name, "\\)"), all = FALSE)
  }

  skip_if(Sys.which("bash") == "")
  script <- withr::local_tempfile(fileext = ".sh")
  completed <- function(...) {
    words <- c("sprenn", ...)
    writeLines(
      c(
        bash,
        paste0("COMP_WORDS=(", paste(shQuote(words), collapse = " "), ")"),
        paste0("COMP_CWORD=", length(words) - 1),
        "_sprenn",
        "printf '%s\\n' \"${COMPREPLY[@]}\""
      ),
      script
    )
    system2("bash", c("--norc", script), stdout = TRUE)
  }

  expect_equal(completed("cho"), "choose")
  expect_setequal(completed("choose", "--j"), c("--job", "--json"))
  expect_equal(run_cli("completions", "fish")$status, 2)
})

test_that("the manual page is one that man can set, with every option", {
  manual <- run_cli("completions", "man")$out
  expect_match(manual[1], "^\\.TH SPRENN 1")
  commands <- cli_commands()
  for (flag in unlist(lapply(commands, flags_of))) {
    expect_true(
      any(grepl(gsub("-", "\\-", flag, fixed = TRUE), manual, fixed = TRUE)),
      info = flag
    )
  }

  skip_if(Sys.which("groff") == "")
  file <- withr::local_tempfile()
  writeLines(manual, file)
  expect_equal(
    system2("groff", c("-man", "-Tascii", "-ww", "-z", file), stderr = TRUE, stdout = TRUE),
    character()
  )
})

test_that("zsh reads its completions", {
  zsh <- run_cli("completions", "zsh")$out
  expect_equal(zsh[1], "#compdef sprenn")
  # Single quotes come in pairs on every line.
  expect_true(all(nchar(gsub("[^']", "", gsub("'\\\\''", "", zsh))) %% 2 == 0))
  skip_if(Sys.which("zsh") == "")
  file <- withr::local_tempfile()
  writeLines(zsh, file)
  expect_equal(system2("zsh", c("-n", file)), 0)
})

test_that("every command that says something says it as JSON too, and nothing beside it", {
  commands <- cli_commands()
  has <- vapply(commands, function(command) "--json" %in% flags_of(command), NA)
  expect_setequal(names(has)[!has], c("demo", "mark", "standins", "completions"))
  folder <- small_trial()
  picture <- list.files(file.path(folder, "references"), full.names = TRUE)[1]
  told <- function(...) {
    found <- run_cli(..., "--json")
    c(
      list(status = found$status),
      list(said = jsonlite::fromJSON(paste(found$out, collapse = "\n"), simplifyVector = FALSE))
    )
  }

  ran <- told("run", folder, "--workers", "0")
  expect_equal(ran$status, 0)
  expect_equal(c(ran$said$made, ran$said$failed), c(length(ran$said$takes), 0))
  expect_equal(
    told("check", folder)$said$fingerprint,
    fingerprint_suite(read_trial(folder)$suite)
  )
  expect_equal(told("check", folder, "--run", "main")$said$problems, list())
  expect_gt(length(told("score", folder, "--workers", "0")$said$scores), 10)
  expect_true(file.exists(told("sheet", folder)$said$files[[1]]))
  expect_gt(told("report", folder)$said$bytes, 10000)
  expect_equal(told("prune", folder)$said$deleted, FALSE)
  expect_equal(
    told("export", folder, "--as", "csv", "--out", file.path(folder, "csv"))$said$as,
    "csv"
  )
  expect_equal(told("engines", folder)$said[[1]]$engine, "mixer")
  tried <- told("engines", folder, "--try", "--out", file.path(folder, "tried.png"))
  expect_equal(tried$said$tries[[1]]$state, "made")
  expect_gt(length(told("engines", folder, "--conform")$said$mixer), 3)
  measured <- told("measure", picture, "--against", picture)$said
  expect_equal(Filter(function(one) one$measure == "orientation", measured)[[1]]$value, 1)
  expect_equal(told("viewing", folder, "--results")$said$ballots, list())
  expect_equal(
    told("prepare", folder, "--out", file.path(folder, "prepared"))$said[[1]]$warnings,
    0
  )
  expect_equal(
    told("pack", folder, "--out", file.path(folder, "p.zip"))$said$bytes,
    file.size(file.path(folder, "p.zip"))
  )
  expect_equal(told("judges", folder)$said$judges, list())
  unlink(
    list.files(file.path(folder, "runs", "main", "takes"), recursive = TRUE, full.names = TRUE)[1]
  )
  broken <- told("check", folder, "--run", "main")
  expect_equal(broken$status, 1)
  expect_equal(broken$said$problems[[1]]$kind, "missing")
  # What is wrong is told where errors go, and nothing half where answers do.
  wrong <- run_cli("sheet", folder, "--by", "nothing", "--json")
  expect_equal(wrong[c("status", "out")], list(status = 2L, out = character()))
})

test_that("who reads the first lines only, or none, is no error", {
  skip_on_os("windows")
  run <- function(line) {
    processx::run(
      "sh",
      c("-c", gsub("sprenn", shQuote(launcher()), line, fixed = TRUE)),
      env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"))
    )
  }

  made <- run("sprenn help | head -n 1; sprenn completions man | head -n 1")
  expect_equal(length(strsplit(trimws(made$stdout), "\n")[[1]]), 2)
  # Nobody is there any more when these begin to speak.
  gone <- run(paste0(
    "(sleep 0.3; sprenn help) | true; (sleep 0.3; sprenn --version) | true; (sleep 0.3; sprenn ",
    "completions man) | true"
  ))
  for (said in c(made$stderr, gone$stderr)) {
    expect_no_match(said, "SIGPIPE|halted")
  }
})

test_that("start-up files of R that lie in the working folder are not read, by no process", {
  skip_on_cran()
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  home <- withr::local_tempdir()
  write_profile <- function(place, name) {
    writeLines(
      paste0("cat('read', file = paste0('", folder, "/", name, "-', Sys.getpid()))"),
      file.path(place, ".Rprofile")
    )
  }
  write_profile(folder, "let-in")
  write_profile(home, "own")
  writeLines(paste0("R_PROFILE_USER=", folder, "/.Rprofile"), file.path(folder, ".Renviron"))
  trial <- small_trial(lineup = c(
    "engines:",
    "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
    "pipelines:",
    "  - {id: firm, engine: yarrow, checkpoint: tide, hold: 0.9}"
  ))
  script <- file.path(folder, "script.sh")
  writeLines(
    c(
      "set -e",
      "unset R_PROFILE_USER R_ENVIRON_USER",
      "sprenn --version",
      paste("sprenn run", shQuote(trial), "--workers 2"),
      paste("sprenn standins heron --for 1 --port", httpuv::randomPort(20000, 40000))
    ),
    script
  )
  said <- run_shell(script, folder, home = home)
  expect_equal(said$status, 0, info = said$stderr)
  expect_length(list.files(folder, "^let-in-"), 0)
  # The user's own is read by each of the three commands and by the two workers.
  expect_length(list.files(folder, "^own-"), 5)
})
