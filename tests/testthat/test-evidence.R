# Takes of two pipelines on one case of two phrases, and what three sources said of them.
takes <- tibble::tibble(
  take = c("a1", "a2", "b1", "b2"),
  pipeline = c("a", "a", "b", "b"),
  case = "x",
  seed = c(1, 2, 1, 2),
  state = c("made", "made", "made", "failed")
)

phrases <- tibble::tibble(
  case = "x",
  phrase = c("red", "a mill", "no frame"),
  weight = c(2, 1, 1),
  must = FALSE,
  unwanted = c(FALSE, FALSE, TRUE)
)

said <- function(...) {
  tibble::tibble(axis = "adherence", tibble::tribble(~take, ~measure, ~phrase, ~value, ...))
}

scores <- said(
  "a1", "colour_share", "red", 1, "a2", "colour_share", "red", 0.8, "b1", "colour_share", "red",
  0, "a1", "heron", "red", 0.9, "a2", "heron", "red", 0.1, "b1", "heron", "red", 0.2, "a1",
  "heron", "a mill", 0.5
)

test_that("every phrase says who spoke on it, on how many takes, and where they contradict", {
  table <- evidence_table(takes, scores, phrases)
  expect_equal(table$phrase, phrases$phrase)
  expect_equal(table$sources, c("colour_share, heron", "heron", ""))
  expect_equal(table$takes, c(3, 3, 3))
  expect_equal(table$covered, c(1, 1 / 3, 0))
  expect_equal(table$value, c(0.5, 0.5, NA))
  expect_equal(table$apart, c(mean(c(0.1, 0.7, 0.2)), NA, NA))
  expect_equal(table$conflict, c(1 / 3, NA, NA))
})

test_that("agreement of two sources is their rank correlation where both judged", {
  found <- source_agreement(scores)
  expect_equal(found$both, 3)
  expect_equal(found$agreement, cor(c(1, 0.8, 0), c(0.9, 0.1, 0.2), method = "spearman"))
  expect_equal(found$opposed, 1 / 3)
  expect_equal(nrow(source_agreement(scores[scores$measure == "heron", ])), 0)
})

test_that("the evidence of a run names what has none", {
  folder <- small_trial(
    suite = change(
      small_suite,
      "prompt: a thing}",
      "prompt: a thing, negative: [{say: light, probe: {brightness: at least 0.99}}]}"
    )
  )
  run_trial(folder)
  found <- list_evidence(folder)
  expect_equal(found$phrases$sources[found$phrases$phrase == "a thing"], rep("", 3))
  expect_true(any(found$phrases$sources == "brightness"))
  expect_equal(found$coverage, mean(found$pipelines$coverage))
  words <- format(found)
  expect_match(words, "These have no evidence", all = FALSE)
  expect_match(words, "one: a thing", all = FALSE)
  expect_output(sprenn_command(c("evidence", folder)), "none")
  expect_equal(
    jsonlite::parse_json(
      capture.output(sprenn_command(c("evidence", folder, "--json")))
    )$coverage,
    found$coverage
  )
})

# Prints that lie where they are put: one number for the patches, none for the manner.
prints_at <- function(at) {
  list(position = matrix(0, length(at), 3), patches = matrix(rep(at, 12), length(at)))
}

controlled <- function(control, at) {
  takes <- tibble::tibble(
    take = as.character(seq_along(at)),
    pipeline = "p",
    case = "x",
    seed = c(1, 2, rep(1, length(at) - 2)),
    control = c(NA, NA, control)
  )
  influence_table(takes, prints_at(at))
}

test_that("influence is what a control moves, as against another seed", {
  found <- controlled(
    c("swapped_prompt", "no_look", "no_guide", "no_reference"),
    c(0, 1, 0.05, 0.3, 1, 3)
  )
  expect_equal(found$input, c("prompt", "reference", "look", "guide"))
  expect_equal(found$moved, c(0.05, 3, 0.3, 1))
  expect_equal(found$influence, c("ignored", "dominant", "weak", "clear"))
  both <- controlled(c("blank_prompt", "swapped_prompt"), c(0, 1, 0.2, 0.6))
  expect_equal(
    unlist(both[c("pairs", "moved", "low", "high")]),
    c(pairs = 2, moved = 0.4, low = 0.2, high = 0.6)
  )
})

test_that("what an engine does by itself is no influence", {
  found <- controlled(c("repeat", "swapped_prompt"), c(0, 1, 0.3, 0.3))
  expect_equal(found$moved, 0)
  # What has nothing to do with each other adds up in squares.
  expect_equal(controlled(c("repeat", "swapped_prompt"), c(0, 1, 0.2, sqrt(0.28)))$moved, 0.5)
})

# Prints of an engine that gives another picture each time: `numbers` of them vary by `luck`,
# a seed moves by `by_seed`, and the prompt by `by_prompt`.
restless <- function(by_prompt, by_seed = 1, luck = 1, cases = 3, repeats = TRUE, seed = 1) {
  controls <- c(NA, NA, "swapped_prompt", if (repeats) "repeat")
  grid <- expand.grid(control = seq_along(controls), case = seq_len(cases))
  takes <- tibble::tibble(
    take = as.character(seq_len(nrow(grid))),
    pipeline = "p",
    case = paste0("c", grid$case),
    seed = ifelse(grid$control == 2, 2, 1),
    control = controls[grid$control]
  )
  numbers <- 288
  patches <- withr::with_seed(seed, {
    own <- function(size) {
      matrix(stats::rnorm(cases * numbers, 0, size * 0.1), cases)[grid$case, ]
    }

    (takes$seed == 2) * own(by_seed) +
      (takes$control %in% "swapped_prompt") * own(by_prompt) +
      matrix(stats::rnorm(nrow(takes) * numbers, 0, luck * 0.1 / sqrt(2)), nrow(takes))
  })
  prints <- list(position = matrix(0, nrow(takes), 3), patches = patches)
  influence_table(takes, prints, "p")
}

test_that("an input that is ignored is not called clear on an engine that repeats nothing", {
  for (seed in 1:10) {
    ignored <- restless(0, seed = seed)
    expect_true(ignored$influence %in% c("ignored", "ignored or weak"))
    expect_lt(abs(restless(1, seed = seed)$moved - 1), 0.25)
  }

  without <- restless(0, repeats = FALSE)
  expect_equal(without$influence, "can't tell")
  expect_equal(without$why, "no repeats")
  expect_true(is.na(without$moved))
})

test_that("what luck drowns is not told, nor what has no seed to be held against", {
  drowned <- vapply(
    1:10,
    function(seed) restless(0.6, by_seed = 0.4, luck = 4, cases = 1, seed = seed)$influence,
    ""
  )
  expect_gt(mean(drowned == "can't tell"), 0.8)
  seedless <- controlled("swapped_prompt", c(0, 0.001, 0.4))
  expect_equal(seedless$why, "seeds do nothing")
  # What moves nothing is ignored all the same.
  expect_equal(controlled("swapped_prompt", c(0, 0.001, 0.001))$influence, "ignored")
  found <- structure(
    list(
      inputs = rbind(seedless, restless(0, repeats = FALSE)),
      conflicts = tibble::tibble(effect = character())
    ),
    class = "sprenn_influence"
  )
  expect_match(format(found), "another seed gives the same picture", all = FALSE)
  expect_match(format(found), "Add repeat to `controls`", all = FALSE)
  expect_s3_class(draw_influence(found), "ggplot")
})

test_that("without another seed nothing can be said", {
  takes <- tibble::tibble(
    take = c("1", "2"),
    pipeline = "p",
    case = "x",
    seed = 1,
    control = c(NA, "no_look")
  )
  expect_equal(nrow(influence_table(takes, prints_at(c(0, 1)))), 0)
})

test_that("an engine that ignores its prompt is found out, one that follows it is not", {
  folder <- withr::local_tempdir()
  new_trial(file.path(folder, "t"), demo = TRUE, cases = 2)
  trial <- read_trial(file.path(folder, "t"))
  trial$lineup$pipelines <- trial$lineup$pipelines[trial$lineup$pipelines$pipeline %in%
    c("bracken", "bracken/hold=0.9"), ]
  trial$lineup$controls <- "swapped_prompt"
  trial$suite$seeds <- c(11L, 23L)
  run_trial(trial)
  found <- measure_influence(trial)
  inputs <- found$inputs
  expect_equal(inputs$influence[inputs$pipeline == "bracken/hold=0.9"], "ignored")
  expect_true(
    inputs$influence[inputs$pipeline == "bracken"] %in% c("clear", "dominant")
  )
  expect_s3_class(draw_influence(found), "ggplot")
})

test_that("inputs conflict where one of them comes out better without the other", {
  takes <- expand.grid(
    control = c(NA, "no_look"),
    seed = 1:2,
    case = c("a", "b"),
    pipeline = "p",
    stringsAsFactors = FALSE
  )
  takes$state <- "made"
  without <- !is.na(takes$control)
  # Without the look the prompt is followed better, by 0.2 on average and in every pair; the
  # structure suffers; of style nothing can be said.
  takes$adherence <- 0.5 + without * c(0.1, 0.1, 0.3, 0.3, 0.2, 0.2, 0.2, 0.2)
  takes$structure <- 0.6 - without * 0.1
  takes$style <- NA_real_
  found <- input_conflicts(takes)
  expect_equal(found$input, c("prompt", "reference"))
  expect_equal(found$effect, c("conflicts", "supports"))
  expect_equal(found$change, c(0.2, -0.1))
  # Student's t by hand: 0.1, 0.3, 0.2, 0.2.
  expect_equal(found$high[1] - 0.2, qt(0.95, 3) * sd(c(0.1, 0.3, 0.2, 0.2)) / 2)
  # One pair can't tell.
  expect_equal(input_conflicts(takes[1:2, ])$effect, c("can't tell", "can't tell"))
})

test_that("a run without controls says how to have some", {
  folder <- small_trial()
  run_trial(folder)
  expect_error(
    measure_influence(folder),
    "controls: \\[swapped_prompt",
    class = "sprenn_error_run"
  )
})
