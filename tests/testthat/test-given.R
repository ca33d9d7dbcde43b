# What pipelines give their engines in place of what cases have, through requests that an engine
# really gets.

test_that("without any of these fields a case is given as it is", {
  request <- request_given()
  expect_equal(request$look_weight, 0.7)
  expect_equal(names(request$guides), c("edges", "areas"))
  expect_equal(request$guides$edges[c("weight", "release")], list(weight = 0.5, release = 0.9))
  expect_equal(request$prompt$weight, c(1, 1.5))
  expect_equal(request$negative, "rain")
})

test_that("guides are added, given another weight, replaced or left out", {
  guides <- function(more) {
    lapply(request_given(more)$guides, function(guide) unlist(guide[c("weight", "release")]))
  }
  expect_equal(
    guides("guides: {soft_edges: 0.8}")$soft_edges,
    c(weight = 0.8, release = 1)
  )
  expect_equal(guides("guides: {edges: {weight: 1.1}}")$edges, c(weight = 1.1, release = 0.9))
  expect_equal(guides("guides: {edges: {release: 0.3}}")$edges, c(weight = 0.5, release = 0.3))
  expect_named(guides("guides: {edges: none}"), "areas")
  expect_named(guides("guides: {edges: {weight: 0}}"), "areas")
  replaced <- guides("guides: {others: none, soft_edges: {weight: 0.6, release: 0.5}}")
  expect_equal(replaced, list(soft_edges = c(weight = 0.6, release = 0.5)))
  # They are drawn from the reference like a case's own.
  own <- request_given()$guides$edges$picture
  expect_equal(request_given("guides: {edges: 0.9}")$guides$edges$picture, own)
})

test_that("a guide that has to be drawn is left out where a case has none, and the take says so", {
  request <- request_given("guides: {depth: 0.5}, if_missing: drop")
  expect_named(request$guides, c("edges", "areas"))
  expect_match(request$notes, "not there: a depth guide", all = FALSE)
})

test_that("the look has another weight, comes from the reference, or is left out", {
  request <- request_given("look: 1.3")
  expect_equal(request$look_weight, 1.3)
  expect_equal(dim(request$looks[[1]]), dim(scene(3)))
  expect_length(request_given("look: none")$looks, 0)
  from_reference <- request_given("look: {from: reference}, mask: none, reference: none")
  expect_equal(from_reference$looks, request_given("mask: none")$references)
  expect_length(request_given("look: {from: both}")$looks, 2)
  # A case without a look may still show its reference for one.
  expect_length(request_given("look: {from: reference}", "two")$looks, 1)
})

test_that("the reference has a weight, or is left out", {
  expect_equal(request_given("reference: 0.4")$reference_weights, 0.4)
  alone <- request_given("reference: none, mask: none, guides: {edges: 0.9}")
  expect_length(alone$references, 0)
  # Guides still come from it.
  expect_named(alone$guides, c("edges", "areas"))
  several <- sub("job: restyle, reference: references/two.png", paste0(
    "job: restyle, reference: references/two.png, prompt: neutral}\n",
    "  - {id: three, job: blend, references: [references/one.png, references/two.png]"
  ), given_suite, fixed = TRUE)
  folder <- given_trial(
    pipeline_line("p", "reference: {weights: [0.3, 2]}", "[blend]"),
    suite = several
  )
  run_trial(folder, workers = 0)
  expect_equal(witnessed[["p three 1"]]$reference_weights, c(0.3, 2))
})

test_that("wording goes around a prompt, scales it, or takes its place", {
  request <- request_given("wording: {before: a print of, after: fine detail, emphasis: 2}")
  expect_equal(request$prompt$say, c("a print of", "a thing", "a red sky", "fine detail"))
  expect_equal(request$prompt$weight, c(1, 2, 3, 1))
  expect_equal(request_given("wording: {emphasis: 4}")$prompt$weight, c(4, 4))
  expect_equal(request_given("phrases: {2: 0.2}")$prompt$weight, c(1, 0.2))
  expect_equal(request_given("phrases: {1: {weight: 3}}")$prompt$weight, c(3, 1.5))
  expect_equal(nrow(request_given("wording: {prompt: none}")$prompt), 0)
  alone <- request_given("wording: {prompt: none, after: more of it}")
  expect_equal(alone$text, "more of it")
  # A neutral prompt stands for nothing being said.
  expect_equal(request_given("wording: {after: fine detail}", "two")$text, "fine detail")
  negative <- request_given("wording: {negative: [blur, a frame]}")$negative
  expect_equal(negative, c("rain", "blur", "a frame"))
  expect_equal(request_given("wording: {negative: blur, unwanted: none}")$negative, "blur")
})

test_that("a mask is feathered, padded, filled or left out", {
  own <- request_given()
  soft <- request_given("mask: {feather: 24}")
  expect_gt(mean(soft$mask > 0 & soft$mask < 1), 2 * mean(own$mask > 0 & own$mask < 1))
  expect_equal(own$context, c(0, 0, 96, 64))
  padded <- request_given("mask: {padding: 3}")
  expect_true(all(padded$context[1:2] > 10))
  expect_null(request_given("mask: none")$mask)
  inside <- own$mask > 0.99
  outside <- own$mask < 0.01
  shown <- function(fill) request_given(paste0("mask: {fill: ", fill, "}"))$reference
  expect_equal(shown("original"), own$reference)
  flat <- shown("'#ff8000'")
  expect_equal(flat[, , 1][inside], rep(1, sum(inside)), tolerance = 0.01)
  expect_equal(flat[, , 3][inside], rep(0, sum(inside)), tolerance = 0.01)
  expect_equal(flat[, , 2][outside], own$reference[, , 2][outside], tolerance = 0.01)
  around <- shown("surroundings")
  expect_lt(stats::sd(around[, , 1][inside]), stats::sd(own$reference[, , 1][inside]))
  expect_lt(abs(mean(around[, , 1][inside]) - mean(own$reference[, , 1][outside])), 0.25)
  noisy <- shown("noise")
  expect_gt(stats::sd(noisy[, , 1][inside]), 0.25)
  expect_equal(shown("noise"), noisy)
})

test_that("a step works at its own size, brought to what its checkpoint needs", {
  expect_equal(request_given("size: [128, 128]")$size, c(128, 128))
  expect_equal(request_given("size: 192")$size, c(192, 128))
  folder <- given_trial(
    "  - {id: p, engine: witness, checkpoint: even, hold: 0.5, jobs: [swap], size: 100}"
  )
  run_trial(folder, workers = 0)
  expect_equal(witnessed[["p one 1"]]$size %% 32, c(0, 0))
})

test_that("later steps have words, guides and references of their own, or are skipped", {
  chain <- paste0(
    "  - {id: two-step, jobs: [swap], steps: [{engine: witness, checkpoint: any, hold: 0.5}, ",
    "{engine: witness, checkpoint: any, hold: 0.9, reference: {from: both}, look: none, ",
    "wording: {prompt: none, after: sharp}, guides: {others: none}}]}"
  )
  folder <- given_trial(
    chain,
    "sweeps:",
    "  - {of: two-step, vary: steps.2.skip, over: [true]}",
    "  - {of: two-step, vary: steps.2.hold, over: [0.2, 0.4]}"
  )
  result <- run_trial(folder, workers = 0)
  second <- witnessed[["two-step one 1"]]
  expect_length(second$references, 2)
  expect_equal(second$references[[2]], request_given()$references[[1]])
  expect_equal(second$text, "sharp")
  expect_length(second$guides, 0)
  expect_length(second$looks, 0)
  takes <- result$takes
  # All of them share one first step, which the pipeline without the second consists of.
  expect_equal(nrow(takes), 4)
  expect_setequal(
    takes$pipeline,
    c(
      "two-step", "two-step/steps.2.skip=true", "two-step/steps.2.hold=0.2",
      "two-step/steps.2.hold=0.4"
    )
  )
})

test_that("controls take away what the pipeline gives, too", {
  folder <- given_trial(
    pipeline_line("p", "look: {from: reference}, wording: {after: fine detail}", "[swap, restyle]"),
    "controls: [no_look, blank_prompt, no_guide]"
  )
  run_trial(folder, workers = 0)
  expect_length(witnessed[["p-no_look one 1"]]$looks, 0)
  expect_equal(nrow(witnessed[["p-blank_prompt one 1"]]$prompt), 0)
  expect_length(witnessed[["p-no_guide one 1"]]$guides, 0)
})

test_that("a control is made only where it changes what a pipeline asks for", {
  controls <- function(more, job = "swap") {
    plan <- plan_run(given_trial(
      pipeline_line("p", more, paste0("[", job, "]")),
      "controls: [no_look, blank_prompt, swapped_prompt, no_guide, no_reference]",
      suite = sub("prompt: neutral", "prompt: another thing", given_suite)
    ))$takes
    sort(plan$control[!is.na(plan$control)])
  }
  expect_equal(controls(""), c("blank_prompt", "no_guide", "no_look", "swapped_prompt"))
  expect_equal(controls("look: none, guides: {others: none}"), c("blank_prompt", "swapped_prompt"))
  expect_equal(controls("wording: {prompt: none}"), c("no_guide", "no_look"))
  bare <- c("blank_prompt", "no_reference", "swapped_prompt")
  expect_equal(controls("", "restyle"), bare)
  # What only the pipeline gives.
  expect_equal(
    controls("look: {from: reference}, guides: {edges: 0.5}", "restyle"),
    c("blank_prompt", "no_guide", "no_look", "no_reference", "swapped_prompt")
  )
  # Of a chain all steps are made, if one of them shows something.
  plan <- plan_run(given_trial(
    paste0(
      "  - {id: chain, jobs: [restyle], steps: [{engine: witness, checkpoint: any, hold: 0.5}, ",
      "{engine: witness, checkpoint: any, hold: 0.9, guides: {edges: 0.5}}]}"
    ),
    "controls: [no_guide, no_look]"
  ))$takes
  expect_setequal(plan$pipeline[!is.na(plan$control)], c("chain:1", "chain"))
  expect_equal(unique(stats::na.omit(plan$control)), "no_guide")
})

test_that("sweeps vary any field by its path, and grids several", {
  folder <- given_trial(
    pipeline_line("p", "guides: {edges: 0.8}"),
    "sweeps:",
    "  - {of: p, vary: guides.edges.weight, over: [0, 0.4, 0.8]}",
    "  - {of: p, vary: guides.edges.release, over: [0.5]}",
    "  - {of: p, vary: look.weight, over: [0.2]}",
    "  - {of: p, vary: look, over: [none]}",
    "  - {of: p, vary: phrases.2.weight, over: [3]}",
    "  - {of: p, vary: wording.after, over: [fine detail]}",
    "  - {of: p, vary: mask.padding, over: [4]}",
    "  - {of: p, vary: guidance, over: [5]}",
    "  - {of: p, vary: settings.guidance, over: [6]}",
    "  - {of: p, vary: add_ons.grain, over: [1]}",
    "  - {of: p, grid: {hold: [0.2, 0.8], reference.weight: [0.5, 2]}}"
  )
  pipelines <- read_trial(folder)$lineup$pipelines
  members <- sub("^p/", "", pipelines$pipeline[-1])
  expect_equal(
    members,
    c(
      "guides.edges.weight=0", "guides.edges.weight=0.4", "guides.edges.release=0.5",
      "look.weight=0.2", "look=none", "phrases.2.weight=3", "wording.after=fine detail",
      "mask.padding=4", "guidance=5", "guidance=6", "add_ons.grain=1",
      "hold=0.2,reference.weight=0.5", "hold=0.2,reference.weight=2",
      "hold=0.8,reference.weight=0.5", "hold=0.8,reference.weight=2"
    )
  )
  # The pipeline itself is the third value of the first sweep.
  expect_equal(pipelines$varied[[1]]$guides.edges.weight, 0.8)
  expect_equal(pipelines$varied[[4]], list(guides.edges.release = 0.5))
  expect_equal(pipelines$value[c(2, 5, 6)], c(0, 0.2, NA))
  expect_equal(pipelines$vary[c(2, 6)], c("guides.edges.weight", "look"))
  expect_true(all(is.na(pipelines$vary[13:16])))
  run_trial(folder, workers = 0)
  expect_named(witnessed[["p/guides.edges.weight=0 one 1"]]$guides, "areas")
  expect_equal(witnessed[["p/guides.edges.weight=0.4 one 1"]]$guides$edges$weight, 0.4)
  expect_equal(witnessed[["p/guidance=6 one 1"]]$settings, list(guidance = 6))
  last <- witnessed[["p/hold=0.8,reference.weight=2 one 1"]]
  expect_equal(c(last$hold, last$reference_weights), c(0.8, 2))
})

test_that("long values are cut in names, and told apart", {
  long <- strrep("very ", 20)
  folder <- given_trial(
    pipeline_line("p"),
    "sweeps:",
    paste0("  - {of: p, vary: wording.after, over: [", long, "fine, ", long, "good]}")
  )
  names <- read_trial(folder)$lineup$pipelines$pipeline
  expect_lt(max(nchar(names)), 70)
  expect_equal(anyDuplicated(names), 0)
})

test_that("what can't be given or varied is named before anything is made", {
  found <- function(..., suite = given_suite) check_trial(given_trial(..., suite = suite))
  base <- pipeline_line("p")
  swept <- function(sweep) found(base, "sweeps:", paste0("  - {of: p, ", sweep, "}"))
  problem <- problem_at(swept("vary: guides.edges.wieght, over: [1]"), "sweeps[1].vary")
  expect_match(problem$wanted, "the path of a field of p, such as hold, checkpoint, guidance")
  expect_equal(problem$near, "guides.edges.weight")
  expect_equal(problem$line, 6)
  problem <- problem_at(swept("vary: guides.edges.weight, over: [1, 3]"), "sweeps[1].over[2]")
  expect_match(problem$wanted, "from 0 to 2")
  problem <- problem_at(swept("vary: look.from, over: [refrence]"), "sweeps[1].over[1]")
  expect_equal(problem$near, "reference")
  problem <- problem_at(
    swept("grid: {guides.edges: [0.2, 0.5], guides.edges.weight: [0.3, 1]}"),
    "sweeps[1].grid.guides.edges.weight"
  )
  expect_match(problem$found, "varied together with guides.edges, on which it depends")
  expect_match(
    problem_at(swept("vary: jobs, over: [swap]"), "sweeps[1].vary")$wanted,
    "the path of a field"
  )
  expect_match(
    problem_at(found(pipeline_line("p", "guides: {depth: 0.5}")), "pipelines[1]")$found,
    "one without a depth guide"
  )
  expect_match(
    problem_at(found(pipeline_line("p", "phrases: {3: 2}")), "pipelines[1]")$found,
    "one without phrase 3"
  )
  problem <- problem_at(
    found(pipeline_line("p", "phrases: {first: 2}")),
    "pipelines[1].phrases.first"
  )
  expect_match(problem$wanted, "1 is the first")
  expect_match(
    problem_at(found(pipeline_line("p", "wording: {after: A Thing}")), "pipelines[1]")$found,
    "says again"
  )
  expect_match(
    problem_at(found(pipeline_line("p", "reference: none")), "pipelines[1]")$found,
    "one without their reference"
  )
  problem <- problem_at(
    found(pipeline_line("p", "reference: {from: both}")),
    "pipelines[1].reference.from"
  )
  expect_match(problem$wanted, "one of case, none in a first step")
  expect_match(
    problem_at(
      found(pipeline_line("p", "reference: {weight: 1, weights: [1, 2]}")),
      "pipelines[1].reference.weights"
    )$wanted,
    "one of them"
  )
  expect_equal(nrow(found(pipeline_line("p", "guides: {edges: 5}"))), 1)
  # A sweep's own members are held against the cases, too.
  problem <- problem_at(swept("vary: reference, over: [none]"), "sweeps")
  expect_match(problem$found, "p/reference=none: one without their reference")
})

test_that("an engine is given nothing that it does not take", {
  found <- function(more) {
    lineup <- c(
      "engines:",
      "  plain: {kind: function, file: plain.R}",
      "pipelines:",
      paste0("  - {id: firm, engine: plain, ", more, "}")
    )
    folder <- small_trial(lineup = lineup)
    writeLines(
      "sprenn::engine(list(name = 'plain', checkpoints = list(a = list())), identity)",
      file.path(folder, "plain.R")
    )
    problems <- check_trial(folder)
    problems[problems$level == "problem", ]
  }
  for (one in list(
    c("guides: {edges: 0.5}", "guides.edges", "an edges guide, which plain does not take"),
    c("look: 0.5", "look", "pictures of a look"),
    c("reference: none", "reference.from", "no reference at all"),
    c("mask: {feather: 3}", "mask", "a mask"),
    c("wording: {negative: [rain]}", "wording.negative", "unwanted things")
  )) {
    problem <- problem_at(found(one[1]), paste0("pipelines[1].", one[2]))
    expect_match(problem$found, one[3])
  }

  # What is left out needs no such engine.
  expect_equal(nrow(found("look: none, mask: none, guides: {edges: none}")), 0)
})

test_that("what changes nothing leaves the id as it is", {
  id <- function(more) plan_run(given_trial(pipeline_line("p", more)))$takes$take
  plain <- id("")
  expect_equal(id("wording: {emphasis: 1}, reference: {from: case}, look: {from: suite}"), plain)
  expect_false(id("wording: {emphasis: 2}") == plain)
})

test_that("takes keep the ids that they had before pipelines could give anything", {
  takes <- plan_run(small_trial())$takes$take
  expect_equal(takes[1:2], c("4866d804d725-5a510aa9a03d-1", "b4a9b83d2d7f-5a510aa9a03d-1"))
})

test_that("recipes hold what was given, and make the picture again", {
  folder <- given_trial(pipeline_line("p", "guides: {soft_edges: 0.8}, wording: {after: fine}"))
  take <- run_trial(folder, workers = 0)$takes
  recipe <- read_recipe(take$path)
  expect_equal(recipe$steps[[1]]$gives$guides$soft_edges$weight, 0.8)
  shown <- gsub("[[:space:]]+", " ", paste(format(recipe), collapse = " "))
  expect_match(shown, "guides.soft_edges.weight 0.8, wording.after fine", fixed = TRUE)
  again <- remake_take(recipe, folder)
  expect_equal(again$same, "bytes")
})

test_that("what every pipeline is given for every case is listed before anything is made", {
  folder <- given_trial(
    pipeline_line("p", "", "[swap, restyle]"),
    pipeline_line(
      "q",
      paste0(
        "guides: {edges: {weight: 0.9, release: 0.3}, depth: 1}, look: {from: both, weight: 0.5}, ",
        "wording: {prompt: none}, mask: {fill: noise}, reference: 2, if_missing: drop"
      )
    ),
    paste0(
      "  - {id: chain, jobs: [restyle], steps: [{engine: witness, checkpoint: any, hold: 1}, ",
      "{engine: witness, checkpoint: any, hold: 1, reference: {from: both}, size: 128}]}"
    )
  )
  found <- list_inputs(folder)
  expect_equal(found$case, c("one", "one", "two", "two", "two"))
  expect_equal(found$pipeline, c("p", "q", "p", "chain", "chain"))
  expect_equal(found$step, c(1, 1, 1, 1, 2))
  expect_equal(
    found$guides[1:2],
    c("edges 0.5 until 0.9, areas 0.4", "edges 0.9 until 0.3, areas 0.4")
  )
  expect_equal(found$look[1:2], c("paint (0.7)", "paint and the reference (0.5)"))
  expect_equal(found$mask[1:2], c("feather 2", "feather 2, filled with noise"))
  expect_equal(found$reference, c(
    "the case's", "the case's (2)", "the case's", "the case's", "step 1 and the case's"
  ))
  expect_equal(found$prompt[1:2], c("a thing, a red sky (1.5)", ""))
  expect_equal(found$size[5], "128 x 85")
  expect_match(found$changed[2], "guides.edges.weight 0.9")
  expect_equal(found$left_out[1:2], c("", "a depth guide"))
  said <- run_cli("plan", folder, "--inputs")
  expect_equal(said$status, 0)
  expect_match(said$out, "edges 0.9 until 0.3, areas 0.4", all = FALSE)
  expect_match(said$out, "for q: nothing; without rain", all = FALSE)
  prepare_trial(folder)
  expect_equal(nrow(utils::read.csv(file.path(folder, "prepared", "given.csv"))), 5)
})

test_that("kinds of guide are held against each other in a sweep", {
  folder <- given_trial(
    pipeline_line("p", "guides: {others: none, kind: edges, weight: 0.7, release: 0.5}"),
    "sweeps:",
    "  - {of: p, vary: guides.kind, over: [soft_edges, areas, none]}"
  )
  run_trial(folder, workers = 0)
  guides <- function(name) {
    lapply(witnessed[[paste(name, "one 1")]]$guides, function(guide) guide$weight)
  }
  expect_equal(guides("p"), list(edges = 0.7))
  expect_equal(guides("p/guides.kind=soft_edges"), list(soft_edges = 0.7))
  expect_equal(guides("p/guides.kind=areas"), list(areas = 0.7))
  expect_length(guides("p/guides.kind=none"), 0)
  found <- list_contrasts(folder)
  expect_equal(unique(found$contrasts$vary), "guides.kind")
  expect_equal(found$contrasts$value, c("edges", "soft_edges", "areas", "none"))
})

test_that("a sweep may be tried on some of its pipeline's jobs only", {
  sweep <- function(jobs) {
    c(
      pipeline_line("p", "", "[swap, restyle]"),
      "sweeps:",
      paste0("  - {of: p, vary: hold, over: [0.2], jobs: ", jobs, "}")
    )
  }
  takes <- plan_run(given_trial(sweep("[restyle]")))$takes
  expect_equal(takes$case[takes$pipeline == "p/hold=0.2"], "two")
  expect_setequal(takes$case[takes$pipeline == "p"], c("one", "two"))
  problems <- check_trial(given_trial(sweep("[restyle, vary]")))
  expect_equal(problems$place, "sweeps[1].jobs[2]")
  expect_equal(problems$found, '"vary"')
  expect_equal(problems$wanted, "one of the jobs of p: swap, restyle")
})

test_that("the verdict's line for lineup.yml asks for the very same takes", {
  lineup <- c(
    pipeline_line("p", paste0(
      "settings: {guidance: 5}, add_ons: {grain: 0.5}, look: 0.7, size: [128, 96], ",
      "guides: {edges: {weight: 0.8, release: 0.4}}, wording: {after: \"fine: detail\", ",
      "negative: [blur, 'a, frame']}, phrases: {2: 1.2}, mask: {fill: noise}"
    )),
    paste0(
      "  - {id: chain, jobs: [swap], steps: [{engine: witness, checkpoint: any, hold: 0.9}, ",
      "{engine: witness, checkpoint: even, hold: 0.3, wording: {prompt: none}}]}"
    )
  )
  for (k in 1:2) {
    folder <- given_trial(lineup[k], suite = given_suite[-7])
    planned <- plan_run(folder)$takes$take
    run_trial(folder, workers = 0)
    verdict <- choose_pipeline(folder)
    # One case is too few for a leader.
    verdict[c("state", "best")] <- list("clear", c("p", "chain")[k])
    line <- recipe_words(verdict)
    writeLines(
      c(given_lineup, sub("^-", "  -", sub("^  ", "    ", line))),
      file.path(folder, "lineup.yml")
    )
    expect_equal(plan_run(folder)$takes$take, planned)
  }
})

test_that("bleeding lines are looked for where a pipeline gives the outlines, and only there", {
  # The look of that case draws lines itself, where nobody can tell them apart.
  suite <- sub("look: {name: paint, weight: 0.7}, ", "", given_suite, fixed = TRUE)
  folder <- given_trial(
    suite = suite,
    pipeline_line("bare", "", "[swap, restyle]"),
    pipeline_line("edged", "guides: {edges: 0.8}", "[restyle]"),
    pipeline_line("unled", "guides: {others: none}", "[swap]")
  )
  run_trial(folder, workers = 0)
  scores <- score_run(folder)$scores
  bled <- scores[scores$measure == "guide_bleed", ]
  expect_setequal(paste(bled$pipeline, bled$case), c("bare one", "edged two"))
})
