# Pictures and trials for the tests: small, drawn, and the same every time.

# A scene with contours in many directions; another seed is another scene.
scene <- function(seed = 1, width = 96, height = 64) {
  core_dead_leaves(width, height, seed)
}

# How far the contours of two views agree, -1 to 1; the mask's white part may differ.
contours_agree <- function(a, b, mask = NULL) {
  core_likenesses(a$handle, list(b$handle), if (!is.null(mask)) 1 - mask)[["orientation", 1]]
}

mirrored <- function(picture) picture[, rev(seq_len(dim(picture)[2])), ]

picture_file <- function(picture, ending = ".png", folder = tempdir()) {
  file <- tempfile("picture-", folder, ending)
  write_drawing(picture, file)
  file
}

# An engine that keeps a share of the reference by its hold and mixes in
# seeded noise for the rest; `broken` may make some of its takes fail.
mixing_engine <- function(name = "mixer", broken = function(request) NULL, version = "1") {
  engine(
    about = list(
      name = name,
      version = version,
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 10),
      settings = list(tint = c(0, 1)),
      takes = c(
        "look", "mask", "references", "text_alone", "negative", "edges", "soft_edges", "areas",
        "depth", "pose"
      ),
      price = 0.5,
      seconds = 0.01
    ),
    make = function(request) {
      broken(request)
      noise <- core_dead_leaves(
        request$size[1],
        request$size[2],
        1000 + request$seed
      )
      keep <- request$native_hold / 10
      picture <- request$reference * keep + noise * (1 - keep)
      tint <- if (is.null(request$settings$tint)) 0 else request$settings$tint
      picture[, , 3] <- picture[, , 3] * (1 - tint)
      engine_result(picture, cost = 0.5, seed = request$seed)
    }
  )
}

small_suite <- c(
  "suite: small",
  "seeds: [1, 2]",
  "size: [96, 64]",
  "cases:",
  paste0(
    "  - {id: one, job: restyle, reference: references/one.png, ",
    "prompt: [a thing, {say: dark, probe: {brightness: at most 0.9}}]}"
  ),
  "  - {id: two, job: restyle, reference: references/two.png, prompt: a thing}",
  "  - {id: three, job: restyle, reference: references/three.png, prompt: a thing}"
)

small_lineup <- c(
  "engines:",
  "  mixer: {kind: function, file: mixer.R}",
  "pipelines:",
  "  - {id: firm, engine: mixer, hold: 0.9}",
  "  - {id: loose, engine: mixer, hold: 0.1}"
)

small_brief <- c(
  "brief: keep the layout",
  "weights: {structure: 1}",
  "floors: {structure: 0.4}",
  "style: stay"
)

# A trial of three small cases and two pipelines, in a folder that goes with the
# test; the files can be replaced by other lines.
small_trial <- function(
  suite = small_suite,
  lineup = small_lineup,
  brief = small_brief,
  env = parent.frame()
) {
  folder <- withr::local_tempdir(.local_envir = env)
  dir.create(file.path(folder, "references"))
  for (i in 1:3) {
    png::writePNG(
      scene(i),
      file.path(folder, "references", paste0(c("one", "two", "three")[i], ".png"))
    )
  }

  writeLines("get('mixing_engine', globalenv())()", file.path(folder, "mixer.R"))
  writeLines("get('mixing_engine', globalenv())('twin')", file.path(folder, "twin.R"))
  writeLines(suite, file.path(folder, "suite.yml"))
  writeLines(lineup, file.path(folder, "lineup.yml"))
  writeLines(brief, file.path(folder, "brief.yml"))
  folder
}

# lineup.yml runs its file under the global environment, where a user's own
# functions are.
assign("mixing_engine", mixing_engine, globalenv())

problems_of <- function(...) check_trial(small_trial(..., env = parent.frame()))

# The one problem at a place, as a list.
problem_at <- function(problems, place) {
  found <- problems[problems$place == place, ]
  expect_equal(
    nrow(found),
    1,
    info = paste("problems at", place, "among", paste(problems$place, collapse = " "))
  )
  as.list(found)
}

run_cli <- function(...) {
  errors <- withr::local_tempfile()
  sink <- file(errors, "wt")
  base::sink(sink, type = "message")
  on.exit({
    if (sink.number("message") != 2) {
      base::sink(type = "message")
    }

    try(close(sink), silent = TRUE)
  })
  output <- utils::capture.output(status <- sprenn_command(c(...)))
  base::sink(type = "message")
  close(sink)
  list(status = status, out = output, err = readLines(errors))
}

launcher <- function() system.file("bin", "sprenn", package = "sprenn")

# Lines with something in them replaced.
change <- function(lines, from, to) {
  expect_true(any(grepl(from, lines, fixed = TRUE)))
  sub(from, to, lines, fixed = TRUE)
}

# A small trial with two purposes: "two" is a repair.
two_job_trial <- function(env = parent.frame()) {
  small_trial(
    suite = sub("{id: two, job: restyle", "{id: two, job: repair", small_suite, fixed = TRUE),
    brief = c(
      "brief: both",
      "purposes:",
      "  restyle: {weights: {structure: 1}, style: stay}",
      "  repair: {weights: {structure: 1}, style: stay}"
    ),
    env = env
  )
}
