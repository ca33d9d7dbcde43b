teller <- function(says = c("a mill", "far \"away\": #1")) {
  about <- list(name = "teller", checkpoints = list(plain = list()))
  engine(
    about,
    function(request) NULL,
    caption = if (is.function(says)) says else function(picture) says
  )
}

block_suite <- c(
  "# by hand",
  "suite: small",
  "seeds: [1, 2]",
  "size: [96, 64]",
  "cases:",
  "  # the first",
  "  - id: one",
  "    job: restyle   # kept",
  "    reference: references/one.png",
  "    prompt:",
  "      - a thing      # mine",
  "      - {say: dark, weight: 1.2}",
  "    negative: [a frame]",
  "",
  "  - id: two",
  "    prompt: neutral",
  "    job: restyle",
  "    reference: references/two.png",
  "",
  "  - id: three",
  "    job: restyle",
  "    reference: references/three.png",
  "",
  "  # the end"
)

says <- function(folder, i) vapply(read_trial(folder)$suite$cases[[i]]$prompt, `[[`, "", "say")

test_that("cases without a prompt get one, marked as drafted until its words are touched", {
  folder <- small_trial(suite = block_suite)
  expect_equal(check_trial(folder)$place, "cases[3].prompt")
  drafts <- draft_prompts(folder, teller())
  expect_equal(drafts$state, c("hand-written", "neutral", "drafted"))
  expect_equal(says(folder, 3), c("a mill", "far \"away\": #1"))
  lines <- readLines(file.path(folder, "suite.yml"))
  expect_true(all(block_suite %in% lines))
  drafted <- function() vapply(read_trial(folder)$suite$cases[[3]]$prompt, `[[`, NA, "drafted")
  expect_equal(drafted(), c(TRUE, TRUE))
  writeLines(sub("a mill", "a red mill", lines), file.path(folder, "suite.yml"))
  expect_equal(drafted(), c(FALSE, TRUE))
  again <- draft_prompts(folder, teller("a sea"), cases = "three")
  expect_equal(again$state, "hand-written")
  draft_prompts(folder, teller("a sea"), cases = "three", join = TRUE)
  expect_equal(says(folder, 3), c("a red mill", "a sea"))
})

test_that("drafts that nobody touched are replaced, and join adds to what was written by hand", {
  folder <- small_trial(suite = block_suite)
  draft_prompts(folder, teller())
  draft_prompts(folder, teller("a sea"), join = TRUE)
  expect_equal(says(folder, 3), "a sea")
  expect_equal(says(folder, 1), c("a thing", "dark", "a sea"))
  trial <- read_trial(folder)
  expect_equal(trial$suite$cases[[1]]$prompt[[2]]$weight, 1.2)
  expect_equal(trial$suite$cases[[1]]$negative, "a frame")
  expect_match(
    readLines(file.path(folder, "suite.yml")),
    "job: restyle   # kept",
    fixed = TRUE,
    all = FALSE
  )
})

test_that("cases on one line are opened up, and every made-up suite keeps all else", {
  folder <- small_trial()
  draft_prompts(folder, teller("a sea"), join = TRUE)
  expect_equal(says(folder, 1), c("a thing", "dark", "a sea"))
  expect_equal(read_trial(folder)$suite$cases[[1]]$prompt[[2]]$probe[[1]]$bound, c(0, 0.9))
  for (seed in 1:12) {
    suite <- some_suite(seed)
    folder <- made_up_trial(suite)
    before <- read_suite(folder)
    drafts <- draft_prompts(folder, teller("a sea"), join = TRUE)
    after <- read_suite(folder)
    strip <- function(suite) lapply(suite$cases, function(case) case[names(case) != "prompt"])
    expect_equal(strip(after), strip(before), info = seed)
    expect_equal(
      sum(drafts$state %in% c("drafted", "joined")),
      sum(grepl("drafted:", readLines(file.path(folder, "suite.yml")))),
      info = seed
    )
  }
})

test_that("what can't be drafted is said: no reference, another's prompt, an engine that fails", {
  suite <- c(
    small_suite[1:4],
    "  - {id: one, job: fresh, prompt: x}",
    "  - {id: two, job: restyle, reference: references/two.png, prompt: x}",
    "  - {id: three, like: two, reference: references/three.png}"
  )
  folder <- small_trial(suite = suite)
  failing <- teller(function(picture) engine_failure("busy", "come back later"))
  drafts <- draft_prompts(folder, failing, join = TRUE)
  expect_equal(drafts$state, c("no reference", "failed", "taken over"))
  expect_equal(drafts$message[2], "come back later")
  expect_equal(readLines(file.path(folder, "suite.yml")), suite)
  expect_equal(draft_prompts(folder, teller("  "), join = TRUE)$state[2], "failed")
})

test_that("a trial with other problems, an unknown case or engine, or a mute one are refused", {
  folder <- small_trial(suite = sub("seeds", "seds", block_suite))
  expect_error(draft_prompts(folder, teller()), class = "sprenn_error_trial")
  folder <- small_trial(suite = block_suite)
  expect_error(
    draft_prompts(folder, teller(), cases = "four"),
    "no case",
    class = "sprenn_error_argument"
  )
  expect_error(draft_prompts(folder, "teler"), "no engine", class = "sprenn_error_argument")
  expect_error(draft_prompts(folder, "mixer"), "can't caption", class = "sprenn_error_argument")
})

test_that("what comes back is made one line, and whole pictures are shown at most 1024 long", {
  folder <- small_trial(suite = block_suite)
  seen <- NULL
  magick::image_write(
    magick::image_resize(magick::image_read(scene(3)), "2000x1000!"),
    file.path(folder, "references", "three.png"),
    format = "png"
  )
  draft_prompts(
    folder,
    teller(function(picture) {
      seen <<- dim(picture)
      "two\n\tlines"
    })
  )
  expect_equal(seen, c(512, 1024, 3))
  expect_equal(says(folder, 3), "two lines")
})

test_that("the stand-in that describes is right about most drawings that it has not seen", {
  memory <- StandinMemory$new()
  right <- vapply(
    1:24,
    function(i) {
      tile <- tile_names()[1 + i %% 8]
      describe_picture(draw_tile(tile, 240, 160, 700 + i), memory)[1] ==
        scene_phrases()[[tile]]
    },
    NA
  )
  expect_gte(mean(right), 0.85)
})
