# The demo of portrait cards: faces that are drawn, and what the stand-in engines make of them.

# How far two pictures differ on average in a part of the face, given by the hill around a place.
differ_at <- function(one, other, x, y, person = card_people()$house) {
  on <- face_plan(person, dim(one)[2], dim(one)[1])
  near <- hill(on$x - x, on$y - y, 0.2, 0.12) > 0.5
  apart <- rowMeans(abs(matrix(one - other, ncol = 3)))
  mean(apart[c(near)])
}

card <- function(name = "ferryman", seed = 3, smile = 0) {
  draw_portrait(card_people()[[name]], 128, 192, seed, smile)
}

made_card <- function(engine, says, reference = card(), hold = 0.9) {
  request <- engine_request(
    engine, says, reference,
    size = c(128, 192), seed = 3, hold = hold, checkpoint = names(engine$about$checkpoints)[1],
    settings = if ("guidance" %in% names(engine$about$settings)) list(guidance = 9) else list()
  )
  decode_picture(encoded_picture(make_picture(engine, request)$bytes))
}

test_that("portraits are drawn from people and a seed alone", {
  expect_equal(dim(card()), c(192, 128, 3))
  expect_lt(differ_at(card(), card(seed = 4), 0.3, 0.1), 0.05)
  expect_true(all(card() >= 0 & card() <= 1))
  expect_identical(card(), card())
  expect_false(identical(card(seed = 4), card()))
  for (name in setdiff(names(card_people()), "ferryman")) {
    # Other people differ more than another seed does.
    expect_gt(differ_at(card(), card(name), 0.3, 0.1), 0.1)
  }
  smiling <- card(smile = card_smile)
  expect_gt(differ_at(card(), smiling, 0, -0.55), 3 * differ_at(card(), smiling, 0, 0.5))
})

test_that("stand-ins read of portraits and smiles what a prompt says", {
  read <- function(...) read_prompt(data.frame(say = c(...), weight = 1))
  told <- read("a portrait of the harbour mistress", "smiling")
  expect_true(told$portrait)
  expect_true(told$smile)
  # A mistress is no mist.
  expect_length(told$light, 0)
  expect_equal(read("a misty morning")$light, "misty")
  expect_false(read("a portrait", "not smiling")$smile)
  expect_false(read("a portrait", "without a smile")$smile)
  expect_false(read("a windmill")$portrait)
})

test_that("quince gives everybody one face, bracken no smile, sorrel a title", {
  habit <- function(engine, says, ...) {
    asked <- list(portrait = TRUE, smile = "smiling" %in% says)
    paint_card_face(card(), asked, card_habits(...), 1)
  }
  mouth <- function(picture) differ_at(picture, card(), 0, -0.5)
  expect_equal(mouth(habit(NULL, "a portrait")), 0)
  expect_gt(mouth(habit(NULL, "smiling")), 0.05)
  expect_equal(mouth(habit(NULL, "smiling", smiles = "never")), 0)
  expect_gt(mouth(habit(NULL, "a portrait", smiles = "always")), 0.05)
  # One face, whoever it was; hair and ground stay.
  earnest <- list(portrait = TRUE, smile = FALSE)
  one <- paint_card_face(card(), earnest, card_habits(house = 1), 1)
  other <- paint_card_face(card("lamplighter"), earnest, card_habits(house = 1), 1)
  expect_lt(differ_at(one, other, 0, -0.5), 0.3 * differ_at(card(), card("lamplighter"), 0, -0.5))
  expect_lt(differ_at(one, card(), 0, 0.9), 0.03)
  says <- data.frame(say = c("a portrait", "smiling"), weight = 1)
  plain <- made_card(standin_sorrel(), says$say[1])
  yarrow <- made_card(standin_yarrow(), says$say[1])
  board <- function(picture) mean(picture[158:178, 24:104, ])
  expect_gt(board(plain), board(yarrow) + 0.2)
  smiles <- function(engine) {
    differ_at(made_card(engine, says$say), made_card(engine, says$say[1]), 0, -0.5)
  }
  expect_gt(smiles(standin_yarrow()), 0.03)
  expect_lt(smiles(standin_bracken()), 0.01)
})

test_that("the demo of cards runs without judges, and says what they would tell", {
  skip_on_cran()
  programs <- withr::local_tempdir()
  file.symlink(Sys.which(c("sh", "wc")), file.path(programs, c("sh", "wc")))
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir(), PATH = programs)
  folder <- file.path(withr::local_tempdir(), "cards")
  expect_error(new_trial(folder, cards = TRUE, demo = TRUE), "one of these")
  demo <- run_cli("demo", folder, "--cards")
  expect_equal(demo$status, 0)
  said <- demo$out
  expect_match(said, "paints the portraits of its cards", all = FALSE)
  expect_match(said, "Likeness, smiles and lettering were not judged", all = FALSE)
  expect_match(said, "sprenn judges --install people letters", all = FALSE)
  expect_equal(NROW(check_trial(folder)), 0)
  found <- list_evidence(folder)
  expect_match(found$judges$problem, "needs|not installed|tesseract", all = TRUE)
  expect_equal(nrow(found$shown), 0)
  verdict <- choose_pipeline(folder)
  # Likeness is told by nobody: structure is made up of the rest.
  expect_true(all(verdict$table$structure > 0.3))
  words <- paste(format(verdict), collapse = " ")
  expect_match(words, "people_likeness counts for nothing: every case lacks it")
  # With judges, what they found is told in its place.
  shown <- new_table(
    judge = "letters", statement = "lettering", pipeline = c("yarrow", "sorrel"),
    wanted = NA_real_, elsewhere = c(0, 0.98)
  )
  expect_match(shown_words(shown), "sorrel +- +0.98", all = FALSE)
  expect_null(shown_words(shown[1, ]))
  # A demo is replaced by --force, and --cards makes the trial alone too.
  expect_equal(run_cli("new", folder, "--cards")$status, 2)
  clear_demo(folder)
  expect_equal(run_cli("new", folder, "--cards")$status, 0)
})
