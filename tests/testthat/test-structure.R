view <- function(p, part = "take") view_picture(p, part = part)

likeness <- function(a, b, kept = NULL) {
  core_likenesses(view(a)$handle, list(view(b)$handle), kept)[, 1]
}

test_that("every measure of layout is 1 for the same picture and small for a stranger", {
  a <- scene(1, 384, 256)
  expect_equal(unname(likeness(a, a)), rep(1, 5), tolerance = 0.02)
  expect_true(all(likeness(a, scene(2, 384, 256))[c("layout", "shared_information")] < 0.25))
})

test_that("layout, local correlation and shared information survive a negative, SSIM does not", {
  a <- scene(3, 384, 256)
  found <- likeness(a, 1 - a)
  expect_true(all(found[c("layout", "local_correlation", "shared_information")] > 0.75))
  expect_lt(core_ssim(a, 1 - a), 0)
})

test_that("the layout is Spearman's correlation of the patches' distances", {
  a <- scene(4, 160, 160)
  b <- scene(5, 160, 160)
  facts <- function(p) {
    lab <- core_oklab(p, 160, 160)
    patch <- function(m) apply(array(m, c(10, 16, 10, 16)), c(2, 4), mean)
    cbind(
      c(patch(lab[, , 1])),
      c(patch(lab[, , 2])),
      c(patch(lab[, , 3])),
      c(sqrt(pmax(0, patch(lab[, , 1]^2) - patch(lab[, , 1])^2)))
    )
  }

  expect_equal(
    likeness(a, b)[["layout"]],
    cor(c(dist(facts(a))), c(dist(facts(b))), method = "spearman"),
    tolerance = 0.005
  )
})

test_that("SSIM is what its formula gives, window by window", {
  a <- scene(6, 40, 30)
  b <- pmin(1, 0.8 * scene(6, 40, 30) + 0.1 * scene(7, 40, 30))
  dim(b) <- dim(a)
  luma <- function(p) 0.299 * p[, , 1] + 0.587 * p[, , 2] + 0.114 * p[, , 3]
  x <- luma(a)
  y <- luma(b)
  weight <- outer(-5:5, -5:5, function(u, v) exp(-(u^2 + v^2) / 4.5))
  weight <- weight / sum(weight)
  map <- outer(
    1:20,
    1:30,
    Vectorize(function(r, c) {
      p <- x[r + 0:10, c + 0:10]
      q <- y[r + 0:10, c + 0:10]
      mp <- sum(weight * p)
      mq <- sum(weight * q)
      (2 * mp * mq + 1e-4) *
        (2 * (sum(weight * p * q) - mp * mq) + 9e-4) /
        ((mp^2 + mq^2 + 1e-4) *
          (sum(weight * p^2) - mp^2 + sum(weight * q^2) - mq^2 + 9e-4))
    })
  )
  expect_equal(core_ssim(a, b), mean(map), tolerance = 1e-4)
  expect_equal(core_ssim(a, a), 1, tolerance = 1e-6)
})

test_that("multi-scale SSIM is 1 for the same picture, falls with blur, NA below the window", {
  a <- scene(8, 300, 200)
  soft <- each_channel(a, function(m) core_blur(m, 2))
  similarity <- function(p, q) core_similarity(view(p)$handle, view(q)$handle)
  expect_equal(unname(similarity(a, a)), c(1, 1), tolerance = 1e-5)
  expect_lt(similarity(soft, a)[["ssim"]], similarity(soft, a)[["multi_scale_ssim"]])
  tiny <- array(0.5, c(8, 9, 3))
  expect_true(all(is.na(similarity(tiny, tiny))))
})

test_that("distances are those to the nearest mark, in a straight line", {
  marked <- matrix(0, 23, 31)
  marks <- rbind(c(3, 4), c(20, 29), c(11, 15), c(1, 31))
  marked[marks] <- 1
  apart <- outer(
    1:23,
    1:31,
    Vectorize(function(r, c) sqrt(min((marks[, 1] - r)^2 + (marks[, 2] - c)^2)))
  )
  expect_equal(core_distance(marked, 40), apart, tolerance = 1e-5)
  near <- core_distance(marked, 10)
  expect_equal(near[apart <= 10], apart[apart <= 10], tolerance = 1e-5)
  expect_true(all(near[apart > 10] >= 1e6))
  expect_true(all(core_distance(matrix(0, 4, 5), 10) >= 1e6))
})

test_that("vanished and new details are counted and boxed where they are", {
  plain <- array(0.6, c(200, 300, 3))
  for (k in 0:5) {
    plain[150:154, 20 + 40 * k + 0:25, ] <- 0.2
  }

  more <- plain
  more[41:60, 201:230, ] <- 0.1
  found <- function(own, other) {
    core_unmatched(view(own)$handle, view(other)$handle, NULL)
  }

  gone <- found(more, plain)
  expect_gt(gone$share, 0.1)
  expect_equal(
    unname(gone$boxes[1, 1:4]),
    c(200 / 300, 40 / 200, 230 / 300, 60 / 200),
    tolerance = 0.12
  )
  expect_equal(found(plain, more)$share, 0)
})

test_that("a shift, a zoom and a turn are found in a restyled picture, with their size", {
  picture <- scene(9, 384, 256)
  moved <- picture[c(rep(1, 10), 1:246), c(rep(1, 20), 1:364), ]
  framing <- function(take) {
    core_framing(view(take)$handle, view(picture, "reference")$handle)
  }

  shift <- framing((1 - moved)^1.4)
  expect_true(shift$found)
  expect_equal(shift$place, c(20 / 384, 10 / 384, 1, 0), tolerance = 0.003)
  expect_false(framing((1 - picture)^1.4)$found)
  expect_false(framing(scene(31, 384, 256))$found)
  larger <- resize_picture(picture, c(480, 320))[33:288, 49:432, ]
  expect_equal(framing(1 - larger)$place[3], 1.25, tolerance = 0.01)
})

test_that("a turn of one degree and a zoom of 1.8 are found, and nothing in what is unmoved", {
  picture <- scene(9, 384, 256)
  reference <- view(picture, "reference")$handle
  framing <- function(take) core_framing(view(take)$handle, reference)
  turned <- function(degrees) {
    t <- degrees * pi / 180
    u <- col(picture[, , 1]) - 192.5
    v <- row(picture[, , 1]) - 128.5
    x <- pmin(pmax(round(192.5 + cos(t) * u + sin(t) * v), 1), 384)
    y <- pmin(pmax(round(128.5 + cos(t) * v - sin(t) * u), 1), 256)
    array(
      picture[cbind(c(y), c(x), rep(1:3, each = length(x)))],
      dim(picture)
    )
  }

  found <- framing((1 - turned(1))^1.4)
  expect_true(found$found)
  expect_equal(abs(found$place[4]) * 180 / pi, 1, tolerance = 0.2)
  expect_false(framing(turned(0.2))$found)
  larger <- resize_picture(picture, round(c(384, 256) * 1.8))
  expect_equal(framing(larger[102 + 1:256, 153 + 1:384, ])$place[3], 1.8, tolerance = 0.02)
})

test_that("structure is judged after the frame's move has been taken out, and the move is said", {
  picture <- scene(9, 384, 256)
  moved <- picture[c(rep(1, 13), 1:243), c(rep(1, 27), 1:357), ]
  scores <- score_picture(picture_file(1 - moved), picture_file(picture))
  row <- function(measure) as.list(scores[scores$measure == measure, ])
  expect_gt(row("structure")$value, 0.85)
  expect_lt(row("framing")$value, 0.4)
  expect_match(row("framing")$place, "right, 3\\.. % down")
})

test_that("lines are compared by their directions", {
  with_line <- function(at, tilt = 0) {
    p <- array(0.75, c(200, 300, 3))
    y <- row(p[, , 1]) - at - tilt * (col(p[, , 1]) - 150)
    p[rep(y > 0, 3)] <- 0.3
    p
  }

  lines <- function(take) {
    scores <- score_picture(picture_file(take), picture_file(with_line(80)))
    scores$value[scores$measure == "lines"]
  }

  expect_gt(lines(with_line(90)), 0.9)
  expect_lt(lines(with_line(80, tan(12 * pi / 180))), 0.5)
})

test_that("a watched region is found a little aside, and is lost where it is painted over", {
  picture <- scene(10, 384, 256)
  kept <- matrix(0, 256, 384)
  kept[100:170, 150:250] <- 1
  look_at <- function(take) {
    core_watched(view(take)$handle, view(picture, "reference")$handle, kept, 0.04)
  }

  aside <- picture[c(1:6, 1:250), c(1:8, 1:376), ]
  expect_gt(look_at(aside)$agreement, 0.8)
  expect_equal(look_at(aside)$x * 384, 8, tolerance = 0.3)
  lost <- picture
  lost[90:180, 140:260, ] <- scene(44, 121, 91)
  expect_lt(look_at(lost)$agreement, 0.4)
  scores <- score_scene(
    new_scene(
      view(lost),
      view(picture, "reference"),
      decoys = list(view(scene(12, 384, 256), "decoy")),
      watch = list(face = list(kept = kept, least = 0.6))
    )
  )
  expect_equal(scores$level[scores$measure == "watch"], "serious")
  expect_equal(scores$place[scores$measure == "watch"], "face")
})

test_that("every size and kind of picture gives defined numbers", {
  for (size in list(
    c(1, 1),
    c(1, 40),
    c(40, 1),
    c(7, 5),
    c(33, 12)
  )) {
    tiny <- array(seq(0, 1, length.out = prod(size) * 3), c(size, 3))
    scores <- score_picture(picture_file(tiny), picture_file(1 - tiny))
    expect_false(
      any(is.nan(scores$value) | is.infinite(scores$value)),
      info = paste(size, collapse = " x ")
    )
  }

  flat <- array(0.5, c(40, 60, 3))
  scores <- score_picture(picture_file(flat), picture_file(flat))
  expect_equal(scores$value[scores$measure == "structure"], 1)
  expect_equal(scores$level[scores$measure == "blank"], "serious")
  # A blank take has nothing of what was there.
  lost <- score_picture(picture_file(flat), picture_file(scene(1, 60, 40)))
  expect_lt(lost$value[lost$measure == "structure"], 0.01)
})

test_that("bytes and pixels come to the same view, run after run", {
  bytes <- png::writePNG(scene(13, 120, 80))
  frame <- c(120L, 80L)
  seen <- view_encoded(bytes, frame)$view
  pixels <- view_encoded(bytes, frame, pixels = TRUE)$view
  again <- view_encoded(bytes, frame)$view
  facts <- setdiff(names(seen), "handle")
  expect_identical(seen[facts], pixels[facts])
  expect_identical(seen[facts], again[facts])
  expect_error(
    core_view_bytes(as.raw(1:10), 3, 3, c(3L, 3L), c(3L, 3L), "take"),
    "another amount"
  )
})

test_that("a view that was dropped is of no more use, and says so", {
  seen <- view(scene(14))
  drop_view(seen)
  expect_error(core_view_facts(seen$handle), "external pointer is not valid")
})

test_that("every measure keeps to what its range says, on pictures of all kinds", {
  kinds <- list(
    same = scene(15),
    stranger = scene(16),
    negative = 1 - scene(15),
    grey = array(rep(scene(15)[, , 1], 3), dim(scene(15))),
    black = array(0, c(64, 96, 3)),
    white = array(1, c(64, 96, 3)),
    grain = withr::with_seed(5, array(runif(64 * 96 * 3), c(64, 96, 3))),
    stripes = array(
      rep(rep(c(0, 1), each = 64 * 2), length.out = 64 * 96 * 3),
      c(64, 96, 3)
    ),
    small = scene(15, 24, 16),
    wide = scene(15, 300, 40)
  )
  reference <- picture_file(scene(15))
  known <- list_measures()
  for (kind in names(kinds)) {
    scores <- score_picture(picture_file(kinds[[kind]]), reference)
    value <- stats::setNames(scores$value, scores$measure)
    axis <- known$axis[match(scores$measure, known$measure)]
    expect_false(any(is.nan(value) | is.infinite(value)), info = kind)
    expect_true(
      all(
        value[axis == "structure" & !scores$measure %in% c("framing", "lines")] <= 1 + 1e-6,
        na.rm = TRUE
      ),
      info = kind
    )
    expect_true(
      all(scores$level[axis == "flaws"] %in% c("none", "slight", "serious")),
      info = kind
    )
    expect_false(anyNA(scores$place[axis == "flaws" & scores$level != "none"]), info = kind)
  }
})

test_that("grey, 16 bits and alpha come to the same numbers as the plain picture", {
  skip_if_not_installed("magick")
  picture <- round(scene(17)[, , c(1, 1, 1)] * 255) / 255
  reference <- picture_file(1 - picture)
  plain <- picture_file(picture)
  image <- magick::image_read(plain)
  again <- function(...) {
    file <- withr::local_tempfile(fileext = ".png", .local_envir = parent.frame())
    magick::image_write(image, file, format = "png", ...)
    file
  }

  expected <- score_picture(plain, reference)
  deep <- score_picture(again(depth = 16), reference)
  expect_equal(deep, expected, tolerance = 1e-6)
  grey <- withr::local_tempfile(fileext = ".png")
  png::writePNG(picture[, , 1], grey)
  expect_equal(score_picture(grey, reference), expected, tolerance = 1e-6)
  opaque <- withr::local_tempfile(fileext = ".png")
  png::writePNG(array(c(picture, rep(1, 64 * 96)), c(64, 96, 4)), opaque)
  expect_equal(score_picture(opaque, reference), expected, tolerance = 1e-6)
})

test_that("pictures that can't be measured are named, and nothing else happens", {
  good <- picture_file(scene(18))
  broken <- withr::local_tempfile(fileext = ".png")
  writeBin(readBin(good, "raw", 200), broken)
  words <- withr::local_tempfile(fileext = ".png", lines = "not a picture")
  gone <- withr::local_tempfile(fileext = ".png")
  for (file in c(broken, words, gone)) {
    expect_error(
      score_picture(file, good),
      basename(file),
      fixed = TRUE,
      class = "sprenn_error_picture"
    )
    expect_error(
      score_picture(good, file),
      basename(file),
      fixed = TRUE,
      class = "sprenn_error_picture"
    )
    expect_error(
      score_picture(good, good, look = c(good, file)),
      basename(file),
      fixed = TRUE,
      class = "sprenn_error_picture"
    )
    expect_error(
      score_picture(good, good, mask = file, job = "edit"),
      basename(file),
      fixed = TRUE,
      class = "sprenn_error_picture"
    )
  }

  expect_error(score_picture(1, good), "`take`", class = "sprenn_error_argument")
  expect_error(
    score_picture(good, good, job = "dream"),
    "`job`",
    class = "sprenn_error_argument"
  )
})

test_that("what one lost is what the other has new", {
  plain <- scene(3, 288, 192)
  more <- plain
  more[60:110, 180:230, ] <- 1 - more[60:110, 180:230, ]
  files <- c(picture_file(more), picture_file(plain))
  of <- function(take, reference) {
    scene <- scene_of_files(files[take], files[reference])
    expect_false(scene$framing$found)
    scene[c("gone", "come")]
  }

  there <- of(1, 2)
  back <- of(2, 1)
  expect_equal(there$gone, back$come)
  expect_equal(there$come, back$gone)
  same <- of(2, 2)
  expect_equal(c(same$gone$share, same$come$share), c(0, 0))
  expect_equal(nrow(same$gone$boxes), 0)
  # And the measures, the overlay's boxes and an explanation tell of the same.
  scores <- score_picture(files[1], files[2])
  expect_equal(scores$value[scores$measure == "vanished"], there$gone$share)
  expect_equal(scores$value[scores$measure == "new_details"], there$come$share)
})

test_that("a drawn decoy is reproducible, has no bare ground and shares no other's layout", {
  leaves <- core_dead_leaves
  one <- leaves(96, 64, 7001)
  expect_identical(leaves(96, 64, 7001), one)
  expect_equal(dim(one), c(64, 96, 3))
  expect_true(all(one >= 0 & one <= 1))
  # Seven hundred leaves leave hardly a pixel of the ground, which is an even grey.
  expect_lt(mean(one[, , 1] == 0.5 & one[, , 2] == 0.5 & one[, , 3] == 0.5), 0.01)
  views <- lapply(
    draw_decoys(c(192, 128)),
    view_picture,
    frame = c(192, 128)
  )
  pairs <- utils::combn(length(views), 2)
  alike <- apply(pairs, 2, function(pair) contours_agree(views[[pair[1]]], views[[pair[2]]]))
  expect_true(all(abs(alike) < 0.25))
})

test_that("a region is found where it was moved to, also at the picture's edge", {
  own <- scene(5, 192, 128)
  reference <- view_picture(own, part = "reference")
  corner <- matrix(0, 128, 192)
  corner[1:40, 1:60] <- 1
  ring <- matrix(0, 128, 192)
  ring[40:90, 60:120] <- 1
  ring[55:75, 80:100] <- 0
  # A region that is not one piece a row, and one whose surroundings lie beyond the edge.
  for (region in list(corner, ring)) {
    still <- core_watched(reference$handle, reference$handle, region, 0.05)
    expect_equal(unlist(still), c(agreement = 1, x = 0, y = 0, colour = 0), tolerance = 1e-5)
  }
  moved <- own
  moved[, 7:192, ] <- own[, 1:186, ]
  found <- core_watched(view_picture(moved)$handle, reference$handle, ring, 0.06)
  expect_lt(abs(192 * found$x - 6), 2)
  expect_lt(abs(128 * found$y), 2)
  expect_gt(found$agreement, 0.8)
  none <- core_watched(reference$handle, reference$handle, 0 * ring, 0.05)
  expect_equal(none$agreement, 0)
})

test_that("the small map of agreement is the large one made small", {
  reference <- view_picture(scene(5, 192, 128), part = "reference")
  take <- view_picture(scene(6, 192, 128))
  large <- core_agreement_map(take$handle, reference$handle)
  small <- core_small_agreement(take$handle, reference$handle, 24, 16)
  expect_equal(dim(small), c(16, 24))
  expect_true(all(abs(small) <= 1))
  expect_gt(cor(c(small), c(resize_map(large$agreement * large$presence, c(24, 16)))), 0.8)
  same <- core_small_agreement(reference$handle, reference$handle, 24, 16)
  expect_gt(min(same), 0)
})
