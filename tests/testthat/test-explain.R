test_that("every measure that looks at one take can be explained", {
  reference <- picture_file(scene(1, 192, 128))
  changed <- scene(1, 192, 128)
  changed[40:80, 60:120, ] <- scene(2, 61, 41)
  take <- picture_file((1 - changed)^1.3)
  known <- list_measures()
  known <- setdiff(
    known$measure[known$axis != "adherence"],
    c("consistency", "same_as_seed", "erased")
  )
  for (measure in known) {
    figure <- explain_score(take, reference, measure)
    expect_s3_class(figure, "ggplot")
    expect_match(figure$labels$title, gsub("_", " ", measure), fixed = TRUE, info = measure)
  }

  expect_error(
    explain_score(take, reference, "brightness"),
    "`measure`",
    class = "sprenn_error_argument"
  )
})

test_that("the marks sit where the difference is", {
  reference <- scene(3, 192, 128)
  changed <- reference
  changed[30:70, 100:160, ] <- scene(8, 61, 41)
  view <- function(p, part = "take") view_picture(p, part = part)
  built <- new_scene(
    view(changed),
    view(reference, "reference"),
    decoys = lapply(draw_decoys(c(192, 128), 3), view, part = "decoy")
  )
  boxes <- explain_scene(built, "structure")$panels$take$boxes
  expect_gte(nrow(boxes), 1)
  inside <- boxes$left > 90 / 192 &
    boxes$right < 170 / 192 &
    boxes$top > 20 / 128 &
    boxes$bottom < 80 / 128
  expect_true(inside[1])
  expect_equal(box_of_place("top left"), c(0, 0, 1, 1) / 3)
  expect_equal(box_of_place("box 0.10 0.20 0.30 0.40"), 1:4 / 10)
  expect_null(box_of_place("the mask's edge"))
})

test_that("the command draws why into a file", {
  reference <- picture_file(scene(1))
  take <- picture_file(1 - scene(1))
  file <- withr::local_tempfile(fileext = ".png")
  said <- run_cli(
    "measure",
    take,
    "--against",
    reference,
    "--explain",
    file,
    "--measure",
    "vanished"
  )
  expect_equal(said$status, 0)
  expect_match(said$out, "why vanished is what it is", all = FALSE)
  expect_gt(file.size(file), 5000)
})

test_that("a mirrored take is shown beside the mirrored reference", {
  reference <- scene(4, 192, 128)
  view <- function(p, part = "take") view_picture(p, part = part)
  decoys <- lapply(draw_decoys(c(192, 128), 3), view, part = "decoy")
  shown <- function(take) {
    explain_scene(
      new_scene(
        view(take),
        view(reference, "reference"),
        decoys = decoys,
        frame = c(192, 128)
      ),
      "mirrored"
    )$panels
  }

  flipped <- shown(mirrored(reference))
  expect_named(flipped, c("reference, mirrored", "take", "agreement"))
  expect_equal(flipped[[1]]$pixels, mirrored(reference), tolerance = 0.01)
  expect_gt(mean(flipped$agreement$map), 0.3)
  expect_lt(mean(shown(reference)$agreement$map), 0.15)
})

test_that("a take of another shape is said to be stretched", {
  reference <- picture_file(scene(5, 64, 96))
  said <- function(width, height) {
    explain_score(picture_file(scene(5, width, height)), reference)$labels$subtitle
  }

  expect_match(
    said(96, 64),
    "(96 x 64) has another shape than the reference (64 x 96)",
    fixed = TRUE
  )
  expect_no_match(said(128, 192), "another shape")
})

test_that("a row of pictures is drawn as high as they are, with the numbers printed beside", {
  folder <- withr::local_tempdir()
  wide <- file.path(folder, "wide.png")
  tall <- file.path(folder, "tall.png")
  png::writePNG(scene(1, 192, 64), wide)
  png::writePNG(scene(1, 64, 192), tall)
  height <- function(picture) {
    out <- file.path(folder, "why.png")
    said <- run_cli("measure", picture, "--against", picture, "--explain", out)
    expect_match(said$out[1], "^axis +measure +value +raw")
    expect_match(utils::tail(said$out, 1), "Drawn in .*why[.]png: why structure is what it is")
    dim(png::readPNG(out))[1:2]
  }

  low <- height(wide)
  high <- height(tall)
  expect_equal(low[2], high[2])
  expect_gt(high[1], 4 * low[1])
  # Little is left white below the pictures of a wide one.
  expect_lt(low[1], 0.4 * low[2])
})

test_that("what leaked out of a mask is marked where it leaked, and nowhere else", {
  reference <- scene(3, 120, 80)
  mask <- matrix(0, 80, 120)
  mask[, 1:40] <- 1
  take <- reference
  take[, 1:40, ] <- 1 - take[, 1:40, ]
  take[20:60, 80:110, ] <- 1 - take[20:60, 80:110, ]
  see <- function(picture, part = "take") view_picture(picture, part = part)
  found <- explain_leak(list(
    take = see(take),
    reference = see(reference, "reference"),
    mask = mask
  ))
  map <- found$panels$leak$map
  expect_equal(dim(map), c(80, 120))
  expect_true(all(map >= -1 & map <= 0))
  expect_lt(mean(map[25:55, 85:105]), -0.5)
  expect_equal(max(abs(map[, 1:36])), 0)
  expect_lt(mean(abs(map[, 46:70])), 0.02)
  drawn <- lay_map(take, map)
  expect_equal(dim(drawn), dim(take))
  expect_true(all(is.finite(drawn)))
})
