# Flaws that a case asks judges to look for.

level_of <- function(...) judged_flaw(...)$level

test_that("lettering that is read is a flaw where it stands", {
  none <- list(words = some_things(character(), numeric()))
  unsure <- list(words = some_things("FERRY", even_word))
  sign <- list(words = some_things(c("FERRY", "OFFICE"), c(0.8, 0.95)))
  sign$words$left <- c(0.1, 0.4)
  sign$words$right <- c(0.3, 0.6)
  expect_equal(level_of("lettering", none, NULL), "none")
  expect_equal(level_of("lettering", unsure, NULL), "slight")
  found <- judged_flaw("lettering", sign, NULL)
  expect_equal(found$level, "serious")
  expect_equal(found$place, "box 0.40 0.10 0.60 0.30")
  # A judge that does not read says nothing of it.
  expect_null(judged_flaw("lettering", list(things = some_things("kite", 0.9)), NULL))
  expect_null(judged_flaw("lettering", NULL, NULL))
})

test_that("another number of people than in the reference is a flaw", {
  people <- function(n) list(things = some_things(rep("person", n), rep(0.9, n)))
  level <- function(take, reference, keeps_look = TRUE) {
    level_of("number", people(take), people(reference), keeps_look)
  }
  expect_equal(level(2, 2), "none")
  expect_equal(level(0, 0), "none")
  expect_equal(level(1, 2), "serious")
  expect_equal(level(0, 1), "serious")
  expect_equal(level(1, 0), "serious")
  # A new look may hide people, but adds none.
  expect_equal(level(0, 1, keeps_look = FALSE), "slight")
  expect_equal(level(2, 1, keeps_look = FALSE), "serious")
  # One of many may be a miscount.
  expect_equal(level(5, 6), "slight")
  expect_null(judged_flaw("number", people(1), NULL))
  expect_null(judged_flaw("number", list(words = some_things("FERRY", 0.9)), people(1)))
})

test_that("the face that is least alike counts, and one that can't be seen says nothing", {
  # Two people whose faces share nothing.
  pair <- list(faces = face_like(c(0.05, 0.6), c(0, 0), diag(2)))
  with_faces_of <- function(descriptor) {
    list(faces = face_like(c(0.05, 0.6), c(0, 0), descriptor))
  }
  alike <- judged_flaw("likeness", pair, pair)
  expect_equal(alike$level, "none")
  expect_true(is.na(alike$place))
  # The second is a stranger now.
  replaced <- judged_flaw("likeness", with_faces_of(rbind(c(1, 0), c(1, 0))), pair)
  expect_equal(replaced$level, "serious")
  expect_equal(replaced$place, "box 0.60 0.20 0.90 0.60")
  # Between what strangers and what one face have: a sixth of the way.
  near <- strangers_cosine + (same_cosine - strangers_cosine) / 6
  turned <- with_faces_of(rbind(c(1, 0), c(sqrt(1 - near^2), near)))
  expect_equal(level_of("likeness", turned, pair), "slight")
  # One of two has gone, or is elsewhere, or both have gone: the look may hide them.
  expect_equal(level_of("likeness", list(faces = face_like(0.05, 0, t(c(1, 0)))), pair), "none")
  aside <- list(faces = face_like(c(0.05, 0.3), c(0, 0), rbind(c(1, 0), c(1, 0))))
  expect_equal(level_of("likeness", aside, pair), "none")
  none <- list(faces = face_like(numeric(), numeric(), matrix(0, 0, 2)))
  expect_null(judged_flaw("likeness", none, pair))
  expect_null(judged_flaw("likeness", pair, none))
})

test_that("takes with flaws that judges saw are no keepers, and a case without them is as before", {
  # A board in all that the loose pipeline makes of cases with a kite.
  sees_boards <- function(pictures) {
    found <- finds_by_light(pictures)
    for (i in seq_along(found)) {
      if (stats::sd(pictures[[i]]) > 0.05) {
        found[[i]]$words <- some_things("FERRY", 0.95)
      }
    }
    found
  }
  folder <- finding_trial(sees_boards)
  suite <- readLines(file.path(folder, "suite.yml"))
  before <- run_trial(folder)
  expect_false(any(grepl("flaws", suite_content(read_trial(folder)$suite), fixed = TRUE)))
  at <- grep("id: case-1$", suite)
  writeLines(append(suite, "    flaws: [lettering, number]", at), file.path(folder, "suite.yml"))
  after <- run_trial(folder)
  # No picture is made again for it.
  expect_equal(after$takes$sha256, before$takes$sha256)
  scores <- score_run(folder)$scores
  boards <- scores[scores$measure == "owl_lettering", ]
  expect_equal(nrow(boards), sum(after$takes$case == "case-1"))
  expect_true(all(boards$axis == "flaws"))
  loose <- after$takes$take[after$takes$case == "case-1" & after$takes$pipeline == "loose"]
  expect_equal(unique(boards$level[boards$take %in% loose]), "serious")
  expect_equal(unique(boards$place[boards$take %in% loose]), "box 0.10 0.10 0.30 0.30")
  verdict <- choose_pipeline(folder)
  spoilt <- verdict$table[verdict$table$case == "case-1" & verdict$table$pipeline == "loose", ]
  expect_match(spoilt$flaws, "owl_lettering", all = TRUE)
  # Taken back, they go.
  writeLines(suite, file.path(folder, "suite.yml"))
  run_trial(folder)
  expect_false("owl_lettering" %in% score_run(folder)$scores$measure)
})

test_that("a judge that is believed in nothing finds no flaws", {
  scores <- new_table(
    axis = c("structure", "flaws"), take = "a", measure = c("owl_number", "owl_lettering")
  )
  beliefs <- function(believed) new_table(statement = "kite", believed = believed)
  expect_equal(without_vain_flaws(scores, beliefs(TRUE)), scores)
  expect_equal(without_vain_flaws(scores, beliefs(FALSE))$measure, "owl_number")
  expect_equal(without_vain_flaws(scores, beliefs(TRUE)[0, ]), scores)
  expect_null(without_vain_flaws(NULL, beliefs(FALSE)))
})

test_that("the words of a case's flaws are those that have a score, and need a reference", {
  expect_setequal(names(judged_flaw_names), judged_flaw_words)
  expect_setequal(names(judged_flaw_bounds), judged_flaw_words)
  expect_length(intersect(judged_flaw_names, compared_parts), 0)
  fresh <- c(
    "suite: small", "seeds: [1]", "size: [96, 64]", "cases:",
    "  - {id: one, job: fresh, prompt: a thing, flaws: []}"
  )
  problems_of <- function(flaws) check_trial(small_trial(sub("flaws: .*", flaws, fresh)))
  unknown <- problems_of("flaws: [lettering, likeness, moustache]}")
  expect_equal(unknown$place, "cases[1].flaws[3]")
  expect_match(unknown$wanted, "lettering, number, likeness")
  alone <- problems_of("flaws: [lettering, likeness]}")
  expect_equal(alone$place, "cases[1].flaws[2]")
  expect_match(alone$found, "without a reference")
})

test_that("flaws that no judge tells of are noted before a run", {
  case <- list(id = "one", flaws = c("lettering", "likeness"))
  none <- untold_flaws_note(list(case), list())
  expect_match(none, "flaws that one name \\(lettering, likeness\\)")
  # One that finds people and faces does not read.
  people <- local_judge(list(), "people")
  expect_match(untold_flaws_note(list(case), list(people)), "name \\(lettering\\)")
  expect_null(untold_flaws_note(list(case), list(people, local_judge(list(), "letters"))))
  # A server may tell of everything.
  expect_null(untold_flaws_note(list(case), list(a_judge())))
  expect_null(untold_flaws_note(list(list(id = "two", flaws = character())), list()))
  expect_setequal(names(parts_of_flaws), judged_flaw_words)
})
