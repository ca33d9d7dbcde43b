# What each stand-in is known for, measured: a person should see it, and so
# should the measures.

tile <- function(name = "windmill", width = 384, height = 256, seed = 301) {
  draw_tile(name, width, height, seed)
}

made_by <- function(engine, ...) {
  decode_picture(
    encoded_picture(make_picture(engine, engine_request(engine, ...))$bytes)
  )
}

sharpness <- function(picture) mean(draw_slope(draw_luminance(picture)))
apart <- function(a, b) mean(abs(a - b))

structure_between <- function(a, b) {
  view <- view_picture
  decoys <- lapply(draw_decoys(dim(b)[2:1], 3), view)
  rescale_from_chance(
    contours_agree(view(a), view(b)),
    mean(vapply(decoys, contours_agree, 0, b = view(a)))
  )
}

test_that("every stand-in keeps more at a higher hold, whichever way its knob turns", {
  reference <- tile()
  for (engine in list(
    standin_yarrow(),
    standin_bracken(),
    standin_quince(),
    standin_teasel(),
    standin_sorrel(),
    standin_madder(),
    standin_burdock()
  )) {
    kept <- vapply(
      c(0.05, 0.6, 0.95),
      function(hold) {
        structure_between(
          made_by(engine, "a windmill", reference, hold = hold, size = c(384, 256)),
          reference
        )
      },
      0
    )
    expect_gt(kept[3], 0.5)
    expect_lt(kept[1], 0.5)
    expect_gt(kept[3] - kept[1], 0.3)
  }
})

test_that("bracken's knob is flat and then a cliff; above 80 it does not listen", {
  bracken <- standin_bracken()
  change <- bracken_change
  expect_lt(abs(change(1) - change(50)), 0.06)
  expect_gt(change(55) - change(70), 0.4)
  reference <- tile()
  dark <- function(hold) {
    mean(made_by(bracken, c("a windmill", "at dusk"), reference, hold = hold)) -
      mean(made_by(bracken, "a windmill", reference, hold = hold))
  }

  expect_lt(dark(0.7), -0.1)
  expect_equal(dark(0.9), 0)
})

test_that("quince does not quite repeat, loses small details and leaks past a mask", {
  quince <- standin_quince()
  reference <- tile()
  first <- made_by(quince, "a windmill", reference, hold = 0.8)
  second <- made_by(quince, "a windmill", reference, hold = 0.8)
  expect_gt(apart(first, second), 0.002)
  mask <- matrix(0, 256, 384)
  mask[60:180, 100:280] <- 1
  beyond <- matrix(FALSE, 256, 384)
  beyond[45:58, 100:280] <- TRUE
  leak <- function(engine) {
    changed <- abs(
      made_by(engine, "three gulls", reference, hold = 0.3, mask = mask, size = c(384, 256)) -
        reference
    )
    mean(changed[rep(beyond, 3)])
  }

  expect_gt(leak(quince), 0.02)
  expect_lt(leak(standin_yarrow()), 0.004)
})

test_that("teasel sharpens at a high hold and makes things up at a low one", {
  teasel <- standin_teasel()
  reference <- tile()
  refined <- made_by(teasel, "a windmill", reference, hold = 0.9)
  expect_gt(sharpness(refined), 1.1 * sharpness(reference))
  expect_gt(structure_between(refined, reference), 0.9)
  expect_lt(
    structure_between(made_by(teasel, "a windmill", reference, hold = 0.1), reference),
    0.6
  )
})

test_that("sorrel refuses smoke, breaks one file in fifty, and holds early", {
  sorrel <- standin_sorrel()
  expect_equal(
    ending(sorrel, engine_request(sorrel, "smoke over the hill", size = c(64, 64)))$kind,
    "refused"
  )
  expect_equal(ending(sorrel, engine_request(sorrel, "a smoker", size = c(64, 64)))$kind, "made")
  small <- engine_request(sorrel, "a hill", scene(1, 64, 64), size = c(64, 64))
  kinds <- vapply(1:60, function(i) ending(sorrel, small)$kind, "")
  expect_equal(sum(kinds == "bad_answer"), 1)
  reference <- tile()
  expect_gt(
    structure_between(
      made_by(standin_sorrel(), "a windmill", reference, hold = 0.3),
      reference
    ),
    structure_between(
      made_by(standin_quince(), "a windmill", reference, hold = 0.3),
      reference
    ) +
      0.2
  )
})

test_that("yarrow mends scratches, bracken fades them, teasel keeps them", {
  clean <- tile("salt", seed = 307)
  worn <- wear(clean, 307)
  # The marks alone: where worn and clean differ most, against what is beside.
  marks <- abs(
    draw_luminance(worn) - draw_luminance(0.12 + 0.82 * clean)
  ) > 0.12
  beside <- function(picture) {
    light <- draw_luminance(picture)
    mean(abs(light - draw_soft(light, 6))[marks])
  }

  prompt <- "the same tile, mended, without scratches"
  left <- vapply(
    list(standin_yarrow(), standin_bracken(), standin_teasel()),
    function(engine) beside(made_by(engine, prompt, worn, hold = 0.9)),
    0
  ) /
    beside(worn)
  expect_lt(left[1], 0.45)
  expect_gt(left[2], left[1] + 0.1)
  expect_gt(left[3], 0.9)
})

test_that("words put things, colours and light into a picture", {
  yarrow <- standin_yarrow()
  reference <- tile()
  paint <- function(...) made_by(yarrow, c("a windmill", ...), reference, hold = 0.5)
  plain <- paint()
  top <- function(picture) apply(picture[1:60, , ], 3, mean)
  teal <- top(paint("a teal sky"))
  expect_gt(teal[2] - teal[1], 0.15)
  expect_lt(mean(paint("a moonlit night")), mean(plain) - 0.1)
  expect_gt(mean(paint("a bright noon")), mean(plain) + 0.03)
  # More gulls touch more of the picture.
  touched <- function(words) mean(abs(paint(words) - plain) > 0.08)
  expect_gt(touched("one gull"), 0)
  expect_gt(touched("many gulls"), touched("one gull"))
  # What is named first is what a swap puts there.
  expect_equal(
    read_prompt(data.frame(
      say = "a lighthouse where the mill was",
      weight = 1
    ))$scene,
    "lighthouse"
  )
  guide <- list(edges = list(picture = reference, weight = 0.8, release = 1))
  swapped <- made_by(yarrow, "a ferry", reference, hold = 0.4, guides = guide)
  expect_gt(
    apart(
      swapped[100:180, 150:250, ],
      made_by(yarrow, "a windmill", reference, hold = 0.4)[100:180, 150:250, ]
    ),
    0.05
  )
})

# A request with a guide drawn from its reference.
guided <- function(engine, kind, weight, release = 1, hold = 0.35, ...) {
  reference <- tile()
  guide <- if (kind == "depth") {
    array(rep(seq(0, 1, length.out = 256), 384 * 3), dim(reference))
  } else {
    compute_guide(reference, kind)
  }
  guides <- stats::setNames(list(list(picture = guide, weight = weight, release = release)), kind)
  made_by(
    engine, "a windmill", reference,
    hold = hold, size = c(384, 256), guides = guides, seed = 5L, ...
  )
}

test_that("guides have a window: too light does nothing, too heavy shows its lines", {
  yarrow <- standin_yarrow()
  reference <- tile()
  kept <- vapply(
    c(0.2, 0.6, 1),
    function(weight) structure_between(guided(yarrow, "edges", weight), reference),
    0
  )
  expect_gt(kept[3], kept[1] + 0.1)
  expect_gt(kept[3], kept[2])
  # Lines that are drawn into the picture darken it where the guide is.
  lines <- compute_guide(reference, "edges")[, , 1] > 0.5
  dark <- function(weight) mean(guided(yarrow, "edges", weight)[, , 2][lines])
  expect_lt(dark(1.8), dark(1.1) - 0.1)
  # bracken's window lies lower.
  bracken <- standin_bracken()
  moved <- function(weight) apart(guided(bracken, "depth", weight), guided(bracken, "depth", 0.1))
  expect_gt(moved(0.3), 0)
  expect_equal(apart(guided(yarrow, "edges", 0.3), guided(yarrow, "edges", 0.1)), 0)
})

test_that("a guide that lets go early has held the layout and leaves more of the manner", {
  yarrow <- standin_yarrow()
  reference <- tile()
  until <- function(release) guided(yarrow, "edges", 0.9, release)
  expect_gt(
    structure_between(until(0.4), reference),
    structure_between(until(0.1), reference) + 0.05
  )
  # bracken cuts: its manner is all lines.
  cut <- function(release) guided(standin_bracken(), "depth", 0.6, release, hold = 0.7)
  texture <- function(picture) mean(abs(picture - draw_soft(picture, 4)))
  expect_gt(texture(cut(0.4)), 1.1 * texture(cut(1)))
})

test_that("a look that weighs too much, or a colour stressed too much, floods the picture", {
  yarrow <- standin_yarrow()
  reference <- tile()
  look <- list(draw_tile("salt", 384, 256, 9))
  weighing <- function(weight) {
    request <- engine_request(
      yarrow, "a windmill", reference,
      hold = 0.6, size = c(384, 256), looks = look
    )
    request$look_weight <- weight
    decode_picture(encoded_picture(make_picture(yarrow, request)$bytes))
  }
  plain <- made_by(yarrow, "a windmill", reference, hold = 0.6, size = c(384, 256))
  expect_equal(weighing(0), plain, tolerance = 0.3)
  expect_lt(
    structure_between(weighing(2), reference),
    structure_between(weighing(1), reference) - 0.05
  )
  sky <- function(weight) {
    prompt <- data.frame(say = c("a windmill", "a teal sky"), weight = c(1, weight))
    picture <- made_by(yarrow, prompt, reference, hold = 0.6, size = c(384, 256))
    ground <- picture[200:250, , ]
    mean(ground[, , 3] - ground[, , 1])
  }
  expect_gt(sky(3), sky(1.5) + 0.05)
})

test_that("words of praise give polish and leave the layout", {
  yarrow <- standin_yarrow()
  reference <- tile()
  said <- function(...) made_by(yarrow, c(...), reference, hold = 0.6, size = c(384, 256))
  plain <- said("a windmill")
  praised <- said("a windmill", "in fine detail, award-winning")
  expect_gt(sharpness(praised), 1.05 * sharpness(plain))
  expect_gt(structure_between(praised, plain), 0.9)
  expect_equal(said("a windmill", "on a plain day"), plain)
})
