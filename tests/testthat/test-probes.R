view <- view_picture

# A picture whose top third is red and the rest dark grey.
two_parts <- function() {
  picture <- array(0.15, c(90, 60, 3))
  picture[1:30, , 1] <- 0.8
  picture[1:30, , 2:3] <- 0.15
  picture
}

# The number that a picture has for a probe as suite.yml has it, and how it is graded.
probe <- function(text, picture = two_parts(), ...) {
  asked <- read_probe(text, c("mask", "sails"))
  as.list(
    probe_named(asked$measure)$compute(list(take = view(picture), ...), asked)[c(
      "value",
      "raw",
      "place"
    )]
  )
}

found <- function(...) probe(...)$raw
grade <- function(...) probe(...)$value

# The sRGB value of a grey of this OKLab lightness, whose cube is its light.
srgb_of_lightness <- function(lightness) {
  light <- lightness^3
  ifelse(light <= 0.0031308, 12.92 * light, 1.055 * light^(1 / 2.4) - 0.055)
}

# Dots of one colour on a plain ground.
dotted <- function(n, colour = c(0.75, 0.15, 0.12), size = 8, ground = 0.85) {
  picture <- array(ground, c(120, 160, 3))
  for (i in seq_len(n)) {
    rows <- 20 + 30 * ((i - 1) %/% 5) + seq_len(size)
    columns <- 10 + 30 * ((i - 1) %% 5) + seq_len(size)
    for (k in 1:3) {
      picture[rows, columns, k] <- colour[k]
    }
  }

  picture
}

flat <- function(red, green = red, blue = red) {
  array(rep(c(red, green, blue), each = 2400), c(40, 60, 3))
}

test_that("a colour's share is taken in its place", {
  at <- function(where) probe(paste0("colour: red, share: at least 0.3, where: ", where))
  expect_equal(at("top third")$raw, 1, tolerance = 0.05)
  expect_equal(at("top half")$raw, 2 / 3, tolerance = 0.05)
  expect_equal(at("bottom third")$raw, 0)
  expect_equal(at("whole")$raw, 1 / 3, tolerance = 0.03)
  expect_equal(at("left half")$raw, at("right half")$raw, tolerance = 0.01)
  expect_equal(at("centre")$raw, 1 / 6, tolerance = 0.05)
  expect_equal(at("[0, 0, 1, 0.3333]")$raw, at("top third")$raw, tolerance = 0.02)
  expect_match(at("[0, 0, 1, 0.5]")$place, "^box 0")
  # 60 of 540 pixels of the outermost tenth at each of two sides, and the whole top.
  expect_equal(at("border")$raw, (9 * 60 + 21 * 12) / (90 * 60 - 72 * 48), tolerance = 0.05)
})

test_that("masks and watched regions are places, inside and outside", {
  region <- matrix(0, 90, 60)
  region[1:30, 1:30] <- 1
  given <- list(mask = region, watch = list(sails = list(kept = 1 - region)))
  at <- function(where) {
    do.call(
      probe,
      c(list(paste0("colour: red, share: at least 0.3, where: ", where), two_parts()), given)
    )$raw
  }

  expect_equal(at("inside mask"), 1, tolerance = 0.06)
  expect_equal(at("outside mask"), 1 / 5, tolerance = 0.05)
  expect_equal(at("outside sails"), at("inside mask"))
  expect_equal(at("inside sails"), at("outside mask"))
})

test_that("a place that the scene lacks gives no evidence", {
  asked <- read_probe("brightness: at most 0.5, where: inside mask", "mask")
  expect_null(measure_brightness()$compute(list(take = view(two_parts())), asked))
  expect_null(
    measure_brightness()$compute(
      list(take = view(two_parts()), mask = matrix(0, 90, 60)),
      asked
    )
  )
})

test_that("a grade is 1 within the bound and falls evenly to 0", {
  graded <- function(number, bound, ...) {
    grade_probe(number, bound, "whole", ...)$value
  }

  expect_equal(graded(0.4, c(0.3, 1)), 1)
  expect_equal(graded(0.225, c(0.3, 1)), 0.5)
  expect_equal(graded(0.15, c(0.3, 1)), 0)
  expect_equal(graded(0.5, c(0, 0.4)), 0.5)
  expect_equal(graded(0.05, c(0, 0)), 0.5)
  expect_equal(graded(0.7, c(0.2, 0.5)), 0.2)
  expect_equal(graded(3, c(2, 2), counts = TRUE), 0)
  expect_equal(graded(4, c(6, Inf), counts = TRUE), 1 / 3)
})

test_that("every probe tells a picture just within its bound from one just beyond", {
  # How much of a picture is covered, how light it is and so on are known by construction.
  half <- function(share, a = c(0.75, 0.15, 0.12), b = 0.85) {
    picture <- array(rep(rep_len(b, 3), each = 1e4), c(100, 100, 3))
    for (k in 1:3) {
      picture[seq_len(round(100 * share)), , k] <- a[k]
    }

    picture
  }

  grey <- function(lightness) flat(srgb_of_lightness(lightness))
  near <- function(text, within, beyond) {
    expect_equal(grade(text, within), 1, info = text)
    expect_lt(grade(text, beyond), 1)
    expect_gt(grade(text, beyond), 0.5)
  }

  near("colour: red, share: at least 0.3", half(0.33), half(0.27))
  near("colour: red, share: at most 0.3", half(0.27), half(0.33))
  near("brightness: at least 0.6", grey(0.62), grey(0.58))
  near("brightness: at most 0.4", grey(0.38), grey(0.42))
  tones <- function(spread) {
    picture <- array(0, c(40, 60, 3))
    picture[1:20, , ] <- srgb_of_lightness(0.5 - spread / 2)
    picture[21:40, , ] <- srgb_of_lightness(0.5 + spread / 2)
    picture
  }

  near("contrast: at least 0.5", tones(0.53), tones(0.47))
  near("contrast: at most 0.3", tones(0.28), tones(0.32))
  vivid <- c(0.9, 0.1, 0.1)
  full <- found("colourfulness: at least 0.1", flat(vivid[1], vivid[2], vivid[3]))
  expect_equal(full, 1)
  expect_equal(
    found("colourfulness: at least 0.1", half(0.5, c(0.5, 0.3, 0.3), 0.5)),
    found("colourfulness: at least 0.1", flat(0.5, 0.3, 0.3)) / 2,
    tolerance = 0.03
  )
  pale <- found("colourfulness: at most 0.5", flat(0.55, 0.3, 0.3))
  bound <- function(number) format(round(number, 3))
  expect_equal(
    grade(paste("colourfulness: at least", bound(pale - 0.01)), flat(0.55, 0.3, 0.3)),
    1
  )
  expect_lt(
    grade(paste("colourfulness: at least", bound(pale + 0.01)), flat(0.55, 0.3, 0.3)),
    1
  )
  orange <- c(0.95, 0.6, 0.2)
  blue <- c(0.2, 0.4, 0.9)
  near("warmth: at least 0.7", half(0.45, orange, 0.5), half(0.35, orange, 0.5))
  near("warmth: at most 0.3", half(0.45, blue, 0.5), half(0.35, blue, 0.5))
  near("monochrome: at least 0.8", half(0.01, vivid, blue), half(0.03, vivid, blue))
})

test_that("separate patches of a colour are counted, whatever else is there", {
  for (n in 0:5) {
    expect_equal(found("colour: red, patches: at most 9", dotted(n)), n)
  }

  expect_equal(grade("colour: red, patches: 3", dotted(3)), 1)
  expect_equal(grade("colour: red, patches: 3", dotted(2)), 1 - 1 / 1.5)
  expect_equal(grade("colour: red, patches: 3", dotted(4)), 1 - 1 / 1.5)
  expect_equal(grade("colour: red, patches: between 2 and 4", dotted(4)), 1)
  expect_lt(grade("colour: red, patches: between 2 and 4", dotted(5)), 1)
  # Blue ones are others; specks below a thousandth of the picture are none.
  expect_equal(found("colour: red, patches: at most 9", dotted(4, c(0.1, 0.2, 0.8))), 0)
  expect_equal(found("colour: red, patches: at most 9", dotted(4, size = 3)), 0)
  expect_equal(found("colour: red, patches: at most 9, where: left half", dotted(5)), 3)
})

test_that("a busy place has detail, a plain one has none, and grain is not detail", {
  plain <- flat(0.5)
  grainy <- withr::with_seed(1, array(0.5 + rnorm(256 * 384 * 3, sd = 0.02), c(256, 384, 3)))
  stripes <- array(
    rep(rep(c(0.2, 0.8), each = 4), length.out = 60)[col(matrix(0, 40, 60))],
    c(40, 60, 3)
  )
  expect_equal(found("busy: at least 0.1", plain), 0)
  expect_lt(found("busy: at most 0.1", pmin(pmax(grainy, 0), 1)), 0.02)
  expect_equal(found("busy: at least 0.1", stripes), 0.25, tolerance = 0.15)
  half <- stripes
  half[, 31:60, ] <- 0.5
  expect_gt(
    found("busy: at most 0.1, where: left half", half),
    10 * found("busy: at most 0.1, where: right third", half)
  )
  expect_equal(grade("busy: at least 0.2", stripes), 1)
  expect_equal(grade("busy: at most 0.1", stripes), 0)
})

test_that("a mirrored half is symmetric, an unrelated one is not, a tilted one is in between", {
  left <- scene(3, 64, 64)
  whole <- array(0, c(64, 128, 3))
  whole[, 1:64, ] <- left
  whole[, 65:128, ] <- mirrored(left)
  expect_gt(found("symmetry: at least 0.9", whole), 0.98)
  whole[, 65:128, ] <- scene(4, 64, 64)
  expect_lt(found("symmetry: at most 0.3", whole), 0.35)
  expect_equal(found("symmetry: at least 0.9", flat(0.4)), 1)
  ramp <- array(rep(seq(0, 1, length.out = 60), each = 40), c(40, 60, 3))
  expect_equal(found("symmetry: at most 0.1", ramp), 0)
  expect_equal(grade("symmetry: at most 0.1", ramp), 1)
})

test_that("a picture in a look is near it, one in another is not", {
  draw <- function(manner, tile, seed) {
    with_drawing_seed(
      seed,
      paint_manner(
        draw_tile(tile, 192, 128, seed),
        manner,
        home_palette(manner)
      )
    )
  }

  facts <- function(picture) look_facts(view(picture))
  looks <- list(
    linocut = list(facts(draw("linocut", "salt", 41))),
    gouache = list(facts(draw("gouache", "mast", 43)))
  )
  near <- function(look, picture) {
    probe(paste0("look: ", look, ", nearness: at least 0.3"), picture, looks = looks)
  }

  cut <- draw("linocut", "ferry", 7)
  expect_gt(near("linocut", cut)$raw, near("gouache", cut)$raw + 0.2)
  expect_equal(near("linocut", draw("linocut", "salt", 41))$raw, 1)
  asked <- read_probe("look: mosaic, nearness: at least 0.3")
  expect_null(
    measure_nearness()$compute(list(take = view(cut), looks = looks), asked)
  )
})

test_that("greys and tints of one hue are monochrome, a rainbow is not", {
  mono <- function(picture) found("monochrome: at least 0.9", picture)
  ramp <- array(rep(seq(0, 1, length.out = 60), each = 40), c(40, 60, 3))
  expect_equal(mono(ramp), 1)
  expect_gt(mono(ramp * rep(c(1, 0.8, 0.6), each = 2400)), 0.98)
  rainbow <- array(0, c(40, 60, 3))
  colours <- col2rgb(hsv(rep(seq(0, 0.99, length.out = 60), each = 40))) / 255
  for (k in 1:3) {
    rainbow[, , k] <- colours[k, ]
  }

  expect_lt(mono(rainbow), 0.5)
})

test_that("bounds are read from words, and nothing else is a bound", {
  read <- read_bound
  expect_equal(read("at least 0.3"), c(0.3, 1))
  expect_equal(read("at most .25"), c(0, 0.25))
  expect_equal(read("between 0.2 and 0.5"), c(0.2, 0.5))
  for (wrong in list(
    "between 0.5 and 0.2",
    "at least 30",
    "at least 1.5",
    "more than 0.2",
    "0.3",
    0.3,
    "at least 0.3 ",
    NULL
  )) {
    expect_null(read(wrong))
  }

  count <- read_count
  expect_equal(count(2), c(2, 2))
  expect_equal(count("at least 2"), c(2, Inf))
  expect_equal(count("between 2 and 4"), c(2, 4))
  for (wrong in list(2.5, -1, "two", "between 4 and 2", "at least 0.5", NULL)) {
    expect_null(count(wrong))
  }
})

test_that("a probe in words says what it asks", {
  words <- function(text) probe_words(read_probe(text, "sails"))
  expect_equal(
    words("colour: teal, where: inside sails, share: at least 0.3"),
    "teal: at least 0.30 inside sails"
  )
  expect_equal(words("colour: red, patches: 2"), "patches of red in the picture: 2")
  expect_equal(
    words("colour: red, patches: at least 2"),
    "patches of red in the picture: at least 2"
  )
  expect_equal(
    words("look: linocut, nearness: at most 0.4"),
    "nearness to linocut: at most 0.40"
  )
  expect_equal(
    words("warmth: between 0.4 and 0.6, where: border"),
    "warmth of the border: between 0.40 and 0.60"
  )
})

test_that("all that is wrong with a probe is said at once", {
  wrong <- function(text, ...) {
    expect_error(read_probe(text, ...), class = "sprenn_error_probe")
  }

  both <- wrong("colour: teel, where: top thrid, share: at least 3")
  expect_match(conditionMessage(both), "3 problems")
  expect_match(conditionMessage(both), "did you mean \"teal\"")
  expect_match(conditionMessage(both), "did you mean \"top third\"")
  expect_match(conditionMessage(wrong("colour: teal")), "share or patches")
  expect_match(
    conditionMessage(wrong("share: at least 0.2, patches: 2, colour: red")),
    "no patches, as there is share"
  )
  expect_match(
    conditionMessage(wrong("look: gouache, nearness: at least 0.2, where: centre")),
    "no where"
  )
  expect_match(
    conditionMessage(wrong("brightness: at least 0.2, where: inside sials", "sails")),
    "did you mean \"sails\""
  )
  expect_match(
    conditionMessage(wrong("brightness: at least 0.2, where: inside sails")),
    "neither a mask nor regions"
  )
  expect_match(
    conditionMessage(wrong("look: lino, nearness: at least 0.2", looks = "linocut")),
    "linocut"
  )
  expect_match(conditionMessage(wrong("teal")), "unknown key")
  expect_match(conditionMessage(wrong(list("teal"))), "keys with values")
  expect_match(conditionMessage(wrong("{colour: [")), "not valid YAML")
})

test_that("a probe is tried on a file, alone or as a take of a case", {
  file <- picture_file(two_parts())
  alone <- probe_picture(file, "colour: red, where: top third, share: at least 0.5")
  expect_equal(alone$grade, 1)
  expect_equal(dim(alone$counted), dim(alone$inside))
  expect_equal(sum(alone$inside), 30 * 60)
  expect_null(probe_picture(file, "brightness: at least 0.5")$counted)
  expect_error(
    probe_picture(file, "brightness: at least 0.5, where: inside mask"),
    class = "sprenn_error_probe"
  )
  mask <- picture_file(array(rep(c(1, 0), c(30, 60)), c(90, 60, 3)))
  expect_equal(
    probe_picture(
      file,
      "colour: red, where: inside mask, share: at least 0.5",
      mask = mask
    )$number,
    1,
    tolerance = 0.05
  )
  expect_error(
    probe_picture(file, "look: gouache, nearness: at least 0.5"),
    class = "sprenn_error_probe"
  )
  expect_error(
    probe_picture(file, "brightness: at least 0.5", case = "one"),
    class = "sprenn_error_argument"
  )
  trial <- small_trial(
    suite = change(
      small_suite,
      "reference: references/one.png",
      "reference: references/one.png, watch: {top: {box: [0, 0, 1, 0.5]}}"
    )
  )
  at <- function(text, case = "one") {
    probe_picture(picture_file(scene(1)), text, trial = trial, case = case)
  }

  expect_equal(
    at("brightness: at least 0.1, where: inside top")$number,
    at("brightness: at least 0.1, where: top half")$number
  )
  expect_error(at("brightness: at least 0.1, where: inside topp"), class = "sprenn_error_probe")
  expect_error(
    at("brightness: at least 0.1", "onne"),
    "Did you mean \"one\"",
    class = "sprenn_error_argument"
  )
})

test_that("probes that contradict, or name what the case lacks, are reported before a run", {
  twice <- change(
    small_suite,
    "{say: dark, probe: {brightness: at most 0.9}}",
    paste0(
      "{say: dark, probe: {brightness: at most 0.4}}, {say: light, probe: {brightness: at ",
      "least 0.6}}"
    )
  )
  expect_match(
    problem_at(problems_of(suite = twice), "cases[1].prompt[3].probe")$wanted,
    "kept together with cases\\[1\\].prompt\\[2\\]"
  )
  fine <- change(twice, "at least 0.6", "at least 0.3")
  expect_no_error(read_trial(small_trial(suite = fine)))
  elsewhere <- change(
    small_suite,
    "brightness: at most 0.9",
    "brightness: at most 0.9, where: inside mask"
  )
  expect_match(
    problem_at(problems_of(suite = elsewhere), "cases[1].prompt[2].probe.where")$wanted,
    "neither a mask"
  )
  unknown <- change(
    small_suite,
    "brightness: at most 0.9",
    "look: lino, nearness: at least 0.2"
  )
  expect_match(
    problem_at(problems_of(suite = unknown), "cases[1].prompt[2].probe.look")$wanted,
    "look"
  )
})

test_that("an unwanted thing may carry a probe, and an absent one has full value", {
  suite <- change(
    small_suite,
    "prompt: [a thing, {say: dark",
    paste0(
      "negative: [lettering, {say: light, probe: {brightness: at least 0.99}}], prompt: [a ",
      "thing, {say: dark"
    )
  )
  trial <- read_trial(small_trial(suite = suite))
  case <- trial$suite$cases[[1]]
  expect_equal(case$negative, c("lettering", "light"))
  scores <- score_scene(
    list(take = view(scene(1)), frame = c(96, 64), job = "fresh", grain = 0),
    asked_phrases(case),
    all_probes()
  )
  expect_equal(scores$phrase, c("dark", "no light"))
  expect_equal(scores$value[1], 1)
  expect_gt(scores$value[2], 0.8)
})

test_that("a colour's membership is full inside its ranges, and fades out around the circle", {
  range <- c(0.3, 0.7, 0.1, 0.2, 350, 380)
  polar <- function(L, C, h) cbind(L = L, a = C * cospi(h / 180), b = C * sinpi(h / 180))
  at <- function(L, C, h) core_membership(polar(L, C, h), range)
  expect_equal(at(0.5, 0.15, c(350, 0, 20, 365)), rep(1, 4))
  # Five of ten degrees beyond either end, and half way across.
  expect_equal(at(0.5, 0.15, c(345, 25, 185)), c(0.5, 0.5, 0), tolerance = 1e-6)
  expect_equal(at(c(0.28, 0.72, 0.2), 0.15, 10), c(0.5, 0.5, 0), tolerance = 1e-6)
  expect_equal(at(0.5, c(0.09, 0.21, 0.05), 10), c(0.5, 0.5, 0), tolerance = 1e-6)
  # No hue is asked for where all are.
  expect_equal(core_membership(polar(0.5, 0.15, 200), c(0, 1, 0, 1, 0, 360)), 1)
})
