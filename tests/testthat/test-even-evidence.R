# Evidence that some pipelines have and others lack, floors that nobody can judge, and cases
# that are no independent witnesses: what must not decide, and what a verdict says of it.

asked_of <- function(cases) {
  tibble::tibble(
    case = rep(cases, each = 2),
    phrase = rep(c("a kite", "dusk"), length(cases)),
    weight = 1,
    must = FALSE,
    unwanted = FALSE
  )
}

takes_of <- function(
  pipelines = c("loud", "quiet"),
  cases = sprintf("c%d", 1:5),
  seeds = 1:3
) {
  grid <- expand.grid(
    seed = seeds,
    case = cases,
    pipeline = pipelines,
    stringsAsFactors = FALSE
  )
  tibble::tibble(
    take = paste0("t", seq_len(nrow(grid))),
    pipeline = grid$pipeline,
    case = grid$case,
    seed = grid$seed,
    state = "made",
    cost = 0.1,
    seconds = 1,
    message = NA_character_
  )
}

# Both do the same: structure 0.6 or so, every second phrase fulfilled.
scores_of_takes <- function(takes, judged = rep(TRUE, nrow(takes)), seed = 2) {
  luck <- function() withr::with_seed(seed, stats::rnorm(nrow(takes), 0, 0.05))
  row <- function(axis, measure, value, phrase, which = TRUE) {
    tibble::tibble(axis, measure, value, level = NA_character_, phrase, take = takes$take)[
      which,
    ]
  }

  rbind(
    row("structure", "structure", 0.6 + luck(), NA_character_),
    row("adherence", "judge", 0.9 + luck() / 2, "a kite", judged),
    row("adherence", "judge", 0.2 + luck() / 2, "dusk", judged)
  )
}

even_brief <- utils::modifyList(
  core_brief,
  list(
    weights = c(structure = 0.5, adherence = 0.5, style = 0),
    floors = c(structure = 0.3, adherence = NA, style = NA)
  )
)

table_of <- function(takes, scores, evenly = TRUE) {
  axis_table(takes, scores, asked_of(unique(takes$case)), "stay", evenly = evenly)
}

test_that("a judge that is silent on one of two equal pipelines decides nothing", {
  takes <- takes_of()
  # What little is said of the quiet one is its best.
  judged <- takes$pipeline == "loud" | takes$case == "c1"
  scores <- scores_of_takes(takes, judged)
  generous <- scores$take %in% takes$take[takes$pipeline == "quiet"] &
    scores$axis == "adherence"
  scores$value[generous] <- 0.95
  verdict <- verdict_from(table_of(takes, scores), even_brief)
  expect_equal(verdict$state, "too close")
  expect_equal(unname(verdict$uneven), c(0.2, 1))
  expect_equal(names(verdict$uneven), c("quiet", "loud"))
  # Counted unevenly, what nobody has seen would be the better for it.
  uneven <- verdict_from(table_of(takes, scores, evenly = FALSE), even_brief)
  gap <- function(found) abs(diff(found$pipelines$worth))
  expect_lt(gap(verdict), gap(uneven))
  adherence <- tapply(verdict$table$adherence, verdict$table$case, function(x) sum(!is.na(x)))
  expect_equal(as.vector(adherence), c(6L, 0L, 0L, 0L, 0L))
})

test_that("evidence that is missing on one take is that of the pipeline's others", {
  takes <- takes_of(cases = "c1")
  scores <- scores_of_takes(takes)
  gone <- scores$take == "t1" & scores$phrase %in% "a kite"
  own <- scores$value[scores$take %in% c("t2", "t3") & scores$phrase %in% "a kite"]
  dusk <- scores$value[scores$take == "t1" & scores$phrase %in% "dusk"]
  table <- table_of(takes, scores[!gone, ])
  expect_equal(table$adherence[1], (mean(own) + dusk) / 2)
  expect_equal(table$coverage[1], 0.5)
  expect_equal(table$counted, rep(1, 6))
  # Where nothing is missing nothing changes.
  expect_equal(
    table_of(takes, scores)$adherence,
    table_of(takes, scores, evenly = FALSE)$adherence
  )
})

test_that("a phrase that one pipeline lacks counts for none, and the others' evidence still does", {
  takes <- takes_of(cases = c("c1", "c2"))
  scores <- scores_of_takes(takes)
  quiet <- takes$take[takes$pipeline == "quiet" & takes$case == "c2"]
  table <- table_of(takes, scores[!(scores$take %in% quiet & scores$phrase %in% "a kite"), ])
  expect_equal(unname(tapply(table$counted, table$case, mean)), array(c(1, 0.5)))
  expect_lt(max(table$adherence[table$case == "c2"]), 0.4)
  # A pipeline that made nothing of a case takes nothing from the others.
  takes$state[takes$take %in% quiet] <- "refused"
  table <- table_of(takes, scores[!scores$take %in% quiet, ])
  expect_equal(unique(table$counted[table$state == "made"]), 1)
})

test_that("a floor that nobody can judge is not cleared, and a verdict says what is missing", {
  takes <- takes_of()
  scores <- scores_of_takes(takes, rep(FALSE, nrow(takes)))
  brief <- utils::modifyList(
    even_brief,
    list(floors = c(structure = 0.3, adherence = 0.4, style = NA))
  )
  verdict <- verdict_from(table_of(takes, scores), brief)
  expect_equal(verdict$state, "no evidence")
  words <- paste(format(structure(verdict, class = "sprenn_verdict")), collapse = " ")
  expect_match(words, "no case has evidence for adherence, on which the brief sets a floor")
  expect_match(words, "probes or a judge")
})

test_that("weights on style alone, where no case has a look, are answered in words", {
  takes <- takes_of()
  brief <- utils::modifyList(
    even_brief,
    list(weights = c(structure = 0, adherence = 0, style = 1), style = "reach the look")
  )
  verdict <- verdict_from(table_of(takes, scores_of_takes(takes)), brief)
  expect_equal(verdict$state, "no evidence")
  words <- paste(format(structure(verdict, class = "sprenn_verdict")), collapse = " ")
  expect_match(words, "No verdict: no case has evidence for style")
  expect_match(words, "Give the cases a look")
  # In some cases only: those count.
  scores <- scores_of_takes(takes)
  shown <- takes$case %in% c("c1", "c2", "c3")
  style <- tibble::tibble(
    axis = "style",
    measure = "look_match",
    value = ifelse(takes$pipeline == "loud", 0.8, 0.4),
    level = NA_character_,
    phrase = NA_character_,
    take = takes$take
  )[
    shown,
  ]
  table <- axis_table(
    takes,
    rbind(scores, style),
    asked_of(unique(takes$case)),
    "reach the look",
    evenly = TRUE
  )
  verdict <- verdict_from(table, brief)
  expect_equal(verdict$best, "loud")
  expect_equal(verdict$unjudged, c("c4", "c5"))
  expect_match(
    paste(assumed_words(verdict), collapse = " "),
    "Not counted: c4 and c5"
  )
})

test_that("four references in six looks are four witnesses, not twenty-four", {
  means <- means_of(a = c(0.62, 0.5, 0.5), b = c(0.6, 0.5, 0.5))
  table <- scored_table(means, cases = 24, seeds = 1, by_case = 0.005, by_seed = 0.005)
  number <- as.integer(substr(table$case, 2, 3))
  table$reference <- paste0("r", (number - 1) %% 4)
  table$look <- paste0("l", (number - 1) %/% 4)
  # Two references suit a, and two don't.
  suits <- c(r0 = 0.12, r1 = 0.08, r2 = -0.06, r3 = -0.1)[table$reference]
  table$structure <- table$structure + ifelse(table$pipeline == "a", suits, 0)
  apart <- verdict_from(
    table[setdiff(names(table), c("reference", "look"))],
    core_brief
  )
  shared <- verdict_from(table, core_brief)
  expect_gt(apart$confidence, shared$confidence)
  expect_equal(shared$state, "too close")
  expect_equal(
    shared$pictures,
    list(cases = 24L, references = 4L, looks = 6L, independent = 4L)
  )
  expect_match(
    pictures_words(shared$pictures),
    "24 cases \\(4 references and 6 looks\\)"
  )
  # Two references can't speak for others, however many cases they make.
  table$reference <- paste0("r", (number - 1) %% 2)
  few <- verdict_from(table, core_brief)
  expect_equal(few$state, "too few cases")
  expect_match(headline_words(few), "24 cases of 2 references")
})

test_that("check and plan say that cases which share a reference are one witness", {
  shared <- c(
    small_suite,
    "  - {id: four, like: one, prompt: another thing}",
    "  - {id: five, like: two, prompt: another thing}"
  )
  trial <- read_trial(small_trial(suite = shared))
  expect_match(
    paste(weak_spots(trial), collapse = " "),
    "These 5 cases have 3 references between them"
  )
  alone <- read_trial(small_trial())
  expect_no_match(paste(weak_spots(alone), collapse = " "), "independent cases")
})

test_that("a part of structure that a case lacks is made up by the others there", {
  takes <- data.frame(
    take = letters[1:6],
    pipeline = rep(c("p", "q"), 3),
    case = rep(c("c1", "c2", "c3"), each = 2),
    state = "made"
  )
  weights <- c(structure = 1, owl_likeness = 3)
  usual <- c(0.4, 0.8, 0.4, 0.8, 0.4, 0.8)
  structure_at <- function(likeness, evenly) {
    found <- structure_from_parts(
      takes,
      list(structure = usual, owl_likeness = likeness),
      weights,
      evenly
    )
    found
  }
  # Both have it in c1, one in c2, neither in c3.
  likeness <- c(1, 1, 0, NA, NA, NA)
  even <- structure_at(likeness, TRUE)
  expect_equal(even$structure, c(0.85, 0.95, 0.4, 0.8, 0.4, 0.8))
  expect_equal(even$unheld, c("", "", rep("owl_likeness", 4)))
  # Take by take, what one lacks is not guessed.
  single <- structure_at(likeness, FALSE)
  expect_equal(single$structure, c(0.85, 0.95, 0.1, NA, 0.4, 0.8))
  expect_equal(single$unheld[3:4], c("", ""))
  nothing <- structure_from_parts(takes, list(structure = rep(NA_real_, 6)), c(structure = 1), TRUE)
  expect_true(all(is.na(nothing$structure)))
  expect_equal(nothing$unheld, rep("", 6))
})

test_that("a likeness is a third of structure where a picture is kept, if a judge tells of faces", {
  people <- list(people = list(kind = "local"))
  expect_equal(usual_structure("repair", people), c(structure = 2, people_likeness = 1))
  expect_equal(usual_structure("edit", people), c(structure = 2, people_likeness = 1))
  expect_equal(usual_structure("restyle", people), c(structure = 1))
  expect_equal(usual_structure(NA_character_, people), c(structure = 1))
  expect_equal(usual_structure("edit", list(letters = list(kind = "local"))), c(structure = 1))
  expect_equal(usual_structure("edit", NULL), c(structure = 1))
  words <- structure_words(c(structure = 2, people_likeness = 1))
  expect_match(words, "67 % structure, 33 % people_likeness")
  expect_equal(structure_words(c(structure = 1)), "")
})
