test_that("one picture is measured against another, in the promised columns", {
  reference <- picture_file(scene(1, 192, 128))
  take <- picture_file((1 - scene(1, 192, 128))^1.3, ".jpg")
  scores <- score_picture(take, reference)
  expect_named(scores, c("axis", "measure", "value", "raw", "level", "place"))
  expect_setequal(unique(scores$axis), c("structure", "style", "flaws"))
  expect_gt(scores$value[scores$measure == "orientation"], 0.85)
  other <- score_picture(picture_file(scene(9, 192, 128)), reference)
  expect_lt(abs(other$value[other$measure == "orientation"]), 0.2)
})

test_that("looks, masks and decoys are taken in", {
  reference <- picture_file(scene(1))
  look <- picture_file(scene(2))
  mask <- array(0, c(64, 96, 3))
  mask[, 49:96, ] <- 1
  half <- scene(1)
  half[, 49:96, ] <- scene(5)[, 49:96, ]
  take <- picture_file(half)
  plain <- score_picture(take, reference)
  masked <- score_picture(
    take,
    reference,
    look = look,
    mask = picture_file(mask),
    decoys = picture_file(scene(8))
  )
  structure <- function(scores) scores$raw[scores$measure == "orientation"]
  expect_gt(structure(masked), structure(plain))
  expect_true("look_match" %in% masked$measure)
})

test_that("another size is compared in the reference's frame", {
  reference <- picture_file(scene(1, 192, 128))
  larger <- resize_picture(scene(1, 192, 128), c(300, 200))
  expect_gt(score_picture(picture_file(larger), reference)$value[1], 0.9)
})

test_that("what is no picture is a classed error that says so", {
  good <- picture_file(scene(1))
  expect_error(
    score_picture("nowhere.png", good),
    "no such file",
    class = "sprenn_error_picture"
  )
  expect_error(score_picture(good, tempdir()), "a folder", class = "sprenn_error_picture")
  expect_error(
    score_picture(1, good, look = 2),
    "`take`.*`look`",
    class = "sprenn_error_argument"
  )
})

test_that("every measure declares what it is, and its values keep to one row each", {
  measures <- list_measures()
  expect_false(any(duplicated(measures$measure)))
  expect_true(
    all(nchar(measures$sees) > 5 & nchar(measures$blind_to) > 3 & nchar(measures$source) > 5)
  )
  expect_true(all(measures$axis %in% c("structure", "adherence", "style", "flaws")))
  expect_true(all(measures$better %in% c("higher", "lower", "as asked")))
})
