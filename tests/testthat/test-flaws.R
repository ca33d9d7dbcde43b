flaws_of <- function(take, reference = scene(1, 192, 128), ...) {
  view <- view_picture
  decoys <- lapply(draw_decoys(c(192, 128), 3), view, part = "decoy")
  built <- new_scene(
    view(take, c(192, 128)),
    view(reference, part = "reference"),
    decoys = decoys,
    frame = c(192, 128),
    ...
  )
  rows <- score_scene(built)
  rows <- rows[rows$axis == "flaws", ]
  split(rows, rows$measure)
}

restyled <- function(picture) (1 - picture)^1.3

test_that("a clean restyled picture has no flaw", {
  for (flaw in flaws_of(restyled(scene(1, 192, 128)))) {
    expect_equal(flaw$level, "none", info = flaw$measure)
  }
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

test_that("a coloured bar is one, a sky is none", {
  take <- restyled(scene(1, 192, 128))
  take[1:13, , 1] <- 0.2
  take[1:13, , 2] <- 0.3
  take[1:13, , 3] <- 0.9
  expect_equal(flaws_of(take)$bars$level, "serious")
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

soft <- function(picture, sigma) {
  each_channel(picture, function(m) core_blur(m, sigma))
}

level_of <- function(flaw, take, ...) flaws_of(take, ...)[[flaw]]$level

test_that("soft contours everywhere are blur, a few sharp ones are not", {
  picture <- restyled(scene(1, 192, 128))
  expect_equal(level_of("blur", soft(picture, 3)), "serious")
  half <- soft(picture, 3)
  half[, 1:96, ] <- picture[, 1:96, ]
  expect_equal(level_of("blur", half), "none")
})

test_that("grain is found, fine and blotchy apart", {
  picture <- 0.2 + 0.6 * restyled(scene(1, 192, 128))
  fine <- withr::with_seed(1, picture + c(rnorm(128 * 192, sd = 0.07)))
  expect_equal(level_of("noise", pmin(pmax(fine, 0), 1)), "serious")
  plain <- 0.2 + 0.6 * soft(scene(1, 192, 128), 5)
  blotchy <- with_drawing_seed(
    2,
    plain + 0.3 * c(smooth_noise(128, 192, 2.5))
  )
  found <- flaws_of(pmin(pmax(blotchy, 0), 1), plain)
  expect_false(found$unfinished$level == "none")
})

test_that("a grid of 8 px or of 6 px is found wherever it begins, stripes are none", {
  smooth <- soft(scene(1, 192, 128), 4)
  gridded <- function(pitch, shift) {
    p <- smooth
    lift <- ((row(p[, , 1]) + shift) %/% pitch + (col(p[, , 1]) + shift) %/% pitch) %%
      2
    pmin(pmax(p + 0.03 * c(lift), 0), 1)
  }

  blocks <- function(take, ...) level_of("blocks", take, smooth, ...)
  for (shift in c(0, 3)) {
    expect_equal(blocks(gridded(8, shift)), "serious", info = shift)
  }

  expect_equal(blocks(gridded(6, 0)), "serious")
  # Far from the reference tiles may be the look: none is shown.
  expect_equal(level_of("blocks", gridded(8, 0), 1 - scene(5, 192, 128)), "slight")
  striped <- smooth
  striped <- pmin(pmax(striped + 0.03 * c((col(smooth[, , 1]) %/% 8) %% 2), 0), 1)
  expect_equal(blocks(striped), "none")
})

test_that("few tones where the reference has many are banding, as few as its own are not", {
  slope <- array(rep(seq(0.2, 0.8, length.out = 192), each = 128), c(128, 192, 3))
  steps <- round(slope * 20) / 20
  expect_false(level_of("banding", steps, slope) == "none")
  expect_equal(level_of("banding", slope, slope), "none")
  expect_equal(level_of("banding", steps, steps), "none")
  few <- look_facts(view_picture(round(scene(3, 192, 128) * 4) / 4))
  expect_equal(level_of("banding", steps, slope, look = list(few)), "none")
})

test_that("what is at its ceiling or its floor is counted, with the place", {
  take <- 0.1 + 0.8 * restyled(scene(1, 192, 128))
  take[1:42, , ] <- 1
  found <- flaws_of(take)
  expect_equal(found$burnt$level, "serious")
  expect_match(found$burnt$place, "top")
  expect_equal(found$crushed$level, "none")
  take[87:128, 60:192, ] <- 0
  expect_false(level_of("crushed", take) == "none")
})

test_that("another shape than asked for is told, with its way", {
  found <- flaws_of(restyled(scene(1, 210, 128)))$wrong_size
  expect_equal(found$level, "serious")
  expect_equal(found$place, "too wide")
  expect_equal(level_of("wrong_size", restyled(scene(1, 193, 128))), "none")
})

test_that("a step along a mask's edge is a seam, and a change outside it a leak", {
  reference <- soft(scene(1, 192, 128), 5)
  mask <- matrix(rep(c(1, 0), each = 96), 128, 192, byrow = TRUE)
  stepped <- reference
  stepped[, 1:96, ] <- 0.6 * reference[, 1:96, ] + 0.4
  edit <- function(flaw, take) level_of(flaw, take, reference, mask = mask, job = "edit")
  expect_false(edit("seam", stepped) == "none")
  expect_equal(edit("seam", reference), "none")
  expect_equal(edit("leak", stepped), "none")
  expect_equal(edit("leak", 0.6 * reference + 0.4 * restyled(reference)), "serious")
  expect_null(flaws_of(stepped, reference, mask = mask)$leak)
})

test_that("scratches that a repair left are told from those it took away", {
  clean <- soft(scene(1, 192, 128), 1)
  worn <- clean
  for (x in c(30, 71, 118, 160)) {
    worn[10:120, x + 0:1, ] <- 0.95
  }

  repair <- function(take) level_of("residual_damage", take, worn, job = "repair")
  # One take alone is one witness; a run asks all of a case (test-verdicts.R).
  expect_equal(repair(worn), "slight")
  expect_equal(repair(clean), "none")
  expect_null(flaws_of(clean, worn)$residual_damage)
})

test_that("the lines of a guide that show are found, unless the look draws lines", {
  reference <- soft(scene(1, 192, 128), 1.5)
  guide <- compute_guide(reference, "edges")[, , 1]
  take <- 0.2 + 0.5 * soft(restyled(reference), 1)
  shown <- take * (1 - 0.8 * c(guide)) + 0.8 * c(guide)
  bleed <- function(take, look = list()) {
    flaws_of(take, reference, guide = guide, look = look)$guide_bleed
  }

  expect_equal(bleed(shown)$level, "serious")
  expect_equal(bleed(take)$level, "none")
  lined <- look_facts(view_picture(shown))
  lined$lines <- 0.2
  expect_null(bleed(shown, list(lined)))
})

test_that("a regular pattern at a mask's edge is no seam, a faint step in texture is one", {
  picture <- scene(6, 192, 128)
  reference <- picture
  dots <- outer(1:128, 1:192, function(y, x) ((x - 96) %% 8 < 3) & (y %% 8 < 3))
  mask <- matrix(rep(c(1, 0), each = 96), 128, 192, byrow = TRUE)
  screened <- reference
  screened[, 1:96, ] <- 0.5 * reference[, 1:96, ]
  screened[rep(dots, 3)] <- 0.1
  reference[rep(dots, 3)] <- 0.1
  expect_equal(level_of("seam", reference, picture, mask = mask, job = "edit"), "none")
  grain <- withr::with_seed(3, rnorm(length(picture), sd = 0.04))
  stepped <- 0.2 + 0.6 * soft(picture, 2) + grain
  stepped[, 1:96, ] <- stepped[, 1:96, ] + 0.15
  expect_false(
    level_of("seam", stepped, 0.2 + 0.6 * soft(picture, 2), mask = mask, job = "edit") == "none"
  )
})

test_that("burnt and crushed count from what the reference and the look have already", {
  reference <- 0.1 + 0.8 * scene(7, 192, 128)
  # A tenth of it is white from the start.
  reference[1:13, , ] <- 1
  take <- reference
  expect_equal(level_of("burnt", take, reference), "none")
  take[1:64, , ] <- 1
  expect_equal(level_of("burnt", take, reference), "serious")
  look <- list(look_facts(view_picture(take)))
  expect_equal(level_of("burnt", take, reference, look = look), "none")
  dark <- reference
  dark[70:128, , ] <- 0
  expect_false(level_of("crushed", dark, reference) == "none")
  expect_equal(level_of("crushed", dark, dark), "none")
})

test_that("where a look sways by itself, blotches count less", {
  look <- look_facts(view_picture(soft(scene(8, 192, 128), 8)))
  swaying <- within(look, colour_sway <- light_sway <- 0.1)
  plain <- 0.3 + 0.4 * soft(scene(1, 192, 128), 8)
  blotched <- plain +
    c(core_blur(matrix(withr::with_seed(4, rnorm(192 * 128, sd = 0.6)), 128), 1.5))
  level <- function(take, of) flaws_of(take, plain, look = list(of))$unfinished
  expect_equal(level(plain, look)$level, "none")
  expect_equal(level(blotched, look)$level, "serious")
  expect_equal(level(blotched, swaying)$level, "none")
})

test_that("a plain sky that ends at a straight step of the reference is no bar", {
  reference <- scene(1, 192, 128)
  reference[1:20, , ] <- 0.6 + 0.1 * scene(5, 192, 20)
  reference[21:24, , ] <- 0.2
  take <- reference
  take[1:20, , ] <- 0.85
  expect_equal(flaws_of(take, reference)$bars$level, "none")
  expect_equal(flaws_of(take, scene(1, 192, 128))$bars$level, "serious")
})

test_that("another colour inside a mask is a seam, hard or soft, and so are broken contours", {
  reference <- soft(scene(8, 384, 256), 0.8)
  inside <- 1 *
    (((row(reference[, , 1]) / 256 - 0.5) / 0.3)^2 +
      ((col(reference[, , 1]) / 384 - 0.5) / 0.25)^2 <
      1)
  changed <- reference
  changed[100:150, 160:220, ] <- changed[100:150, 160:220, c(3, 1, 2)]
  seam <- function(take) {
    view <- view_picture
    scene <- new_scene(
      view(take),
      view(reference, part = "reference"),
      decoys = list(view(draw_decoys(c(384, 256), 1)[[1]], part = "decoy")),
      mask = inside,
      job = "edit"
    )
    measure_seam()$compute(scene)[[2]]$level
  }

  tint <- function(mask) changed + c(mask) * rep(c(0.08, -0.02, -0.07), each = length(mask))
  expect_equal(seam(changed), "none")
  expect_equal(seam(tint(inside)), "serious")
  expect_false(seam(tint(core_blur(inside, 4))) == "none")
  moved <- changed
  shifted <- changed[c(9:256, rep(256, 8)), c(9:384, rep(384, 8)), ]
  moved[rep(inside > 0.5, 3)] <- shifted[rep(inside > 0.5, 3)]
  expect_false(seam(moved) == "none")
})

test_that("a picture is sharp if a part is in focus, shaken if no contour is sharp one way", {
  picture <- scene(3, 384, 256)
  width <- function(p) view_picture(p)$blur
  half_soft <- soft(picture, 4)
  half_soft[, 1:120, ] <- picture[, 1:120, ]
  expect_lt(width(half_soft), 2)
  expect_gt(width(soft(picture, 2)), 3)
  shaken <- Reduce(
    `+`,
    lapply(-5:5, function(d) picture[, pmin(pmax(seq_len(384) + d, 1), 384), ])
  ) /
    11
  expect_gt(width(shaken), 4)
  expect_false(level_of("blur", shaken, picture) == "none")
})

test_that("what was added to a canvas is judged for itself, whatever the job", {
  picture <- 0.1 + 0.8 * scene(11, 192, 128)
  added <- matrix(0, 128, 192)
  added[, 153:192] <- 1
  padded <- picture
  padded[, 153:192, ] <- 0.5
  found <- flaws_of(padded, padded, added = added, mask = added)
  expect_equal(found$bars$level, "serious")
  expect_equal(found$patch$level, "serious")
  expect_false(found$seam$level == "none")
  expect_null(flaws_of(padded, padded)$patch)
  # An edit that also grows the canvas: both edges are looked at.
  mask <- added
  mask[40:90, 30:80] <- 1
  both <- flaws_of(padded, padded, added = added, mask = mask, job = "edit")
  expect_equal(both$seam$place[1], "the canvas' edge")
  expect_equal(nrow(both$seam), 2)
  expect_equal(nrow(both$patch), 2)
  expect_equal(both$seam$level[2], "none")
})

test_that("a swirled part is found with its place; a repainted sky is no serious damage", {
  reference <- soft(scene(9, 384, 256), 0.7)
  u <- col(reference[, , 1]) - 230
  v <- row(reference[, , 1]) - 140
  turn <- 2.5 * pmax(0, 1 - sqrt(u^2 + v^2) / 60)
  from <- cbind(
    c(pmin(pmax(round(140 + sin(turn) * u + cos(turn) * v), 1), 256)),
    c(pmin(pmax(round(230 + cos(turn) * u - sin(turn) * v), 1), 384)),
    rep(1:3, each = length(turn))
  )
  swirled <- array(reference[from], dim(reference))
  damage <- function(take) {
    view <- view_picture
    decoys <- list(view(draw_decoys(c(384, 256), 1)[[1]], part = "decoy"))
    scene <- new_scene(
      view(take),
      view(reference, part = "reference"),
      decoys = decoys
    )
    measure_local_damage()$compute(scene)
  }

  found <- damage(swirled)
  expect_false(found$level == "none")
  box <- as.numeric(strsplit(found$place, " ")[[1]][-1])
  expect_true(
    box[1] < 230 / 384 &&
      box[3] > 200 / 384 &&
      box[2] < 170 / 256 &&
      box[4] > 110 / 256
  )
  expect_equal(damage(0.9 * reference)$level, "none")
  repainted <- reference
  repainted[1:70, , ] <- 0.8
  expect_false(damage(repainted)$level == "serious")
})
