flaws_of <- function(take, reference = scene(1, 192, 128), ...) {
  view <- internal("view_picture")
  decoys <- lapply(internal("draw_decoys")(c(192, 128), 3), view, part = "decoy")
  built <- internal("new_scene")(view(take, c(192, 128)), view(reference, part = "reference"), decoys = decoys, frame = c(192, 128), ...)
  rows <- internal("score_scene")(built)
  rows <- rows[rows$axis == "flaws", ]
  split(rows, rows$measure)
}
restyled <- function(picture) (1 - picture)^1.3

test_that("a clean restyled picture has no flaw", {
  for (flaw in flaws_of(restyled(scene(1, 192, 128)))) expect_equal(flaw$level, "none", info = flaw$measure)
})

test_that("bars are found on each side, with their depth, and not those of the reference", {
  take <- restyled(scene(1, 192, 128))
  take[1:13, , ] <- 0
  found <- flaws_of(take)$bars
  expect_equal(found$level, "serious")
  expect_equal(found$value, 13 / 128, tolerance = 0.1)
  expect_equal(found$place, "top")
  take <- restyled(scene(1, 192, 128))
  take[, 183:192, ] <- 1
  expect_equal(flaws_of(take)$bars$place, "right")
  barred <- scene(1, 192, 128)
  barred[1:13, , ] <- 0
  expect_equal(flaws_of(barred * 0.8 + 0, barred)$bars$level, "none")
})

test_that("a coloured edge or a plain sky is no bar", {
  take <- restyled(scene(1, 192, 128))
  take[1:13, , 1] <- 0.2
  take[1:13, , 2] <- 0.3
  take[1:13, , 3] <- 0.9
  expect_equal(flaws_of(take)$bars$level, "none")
  shaded <- restyled(scene(1, 192, 128))
  shaded[1:40, , ] <- rep(seq(0.3, 0.8, length.out = 40), times = 192 * 3)
  expect_equal(flaws_of(shaded)$bars$level, "none")
})

test_that("a blank picture is found", {
  expect_equal(flaws_of(array(0.4, c(128, 192, 3)))$blank$level, "serious")
  almost <- array(0.4, c(128, 192, 3))
  almost[1:64, , ] <- 0.445
  expect_equal(flaws_of(almost)$blank$level, "slight")
})

test_that("a copy of the reference is found, grain or not", {
  reference <- scene(1, 192, 128)
  grain <- withr::with_seed(1, rnorm(length(reference), sd = 0.02))
  expect_equal(flaws_of(reference)$near_copy$level, "serious")
  expect_equal(flaws_of(pmin(pmax(reference + grain, 0), 1))$near_copy$level, "serious")
})

test_that("a mirrored take is told from a straight one, and a lost one is neither", {
  reference <- scene(1, 192, 128)
  expect_equal(flaws_of(restyled(mirrored(reference)))$mirrored$level, "serious")
  expect_equal(flaws_of(restyled(reference))$mirrored$level, "none")
  expect_equal(flaws_of(scene(77, 192, 128))$mirrored$level, "none")
})
