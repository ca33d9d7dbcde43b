# One request, as the runner would put it.
ask <- function(engine, hold, seed = 11L, say = "a windmill on a hill", look = NULL, settings = list(), checkpoint = NULL, size = c(192L, 128L)) {
  reference <- internal("draw_tile")("windmill", size[1], size[2], 301)
  request <- list(
    prompt = tibble::tibble(say = say, weight = 1), reference = reference, negative = NULL, looks = look,
    hold = hold, native_hold = internal("to_native_hold")(hold, engine$about),
    checkpoint = checkpoint %||% names(engine$about$checkpoints)[1], settings = settings, size = size, seed = seed
  )
  engine$make(request)$picture
}
`%||%` <- internal("%||%")
structure_of <- function(picture, size = c(192, 128)) {
  view <- internal("view_picture")
  internal("orientation_agreement")(view(picture), view(internal("draw_tile")("windmill", size[1], size[2], 301)))
}

test_that("takes repeat bit for bit and differ by seed, hold and engine", {
  for (engine in list(standin_yarrow(), standin_bracken())) {
    first <- ask(engine, 0.5)
    expect_identical(ask(engine, 0.5), first)
    expect_false(identical(ask(engine, 0.5, seed = 23L), first))
    expect_false(identical(ask(engine, 0.7), first))
  }
  expect_false(identical(ask(standin_yarrow(), 0.5), ask(standin_bracken(), 0.5)))
})

test_that("drawing leaves R's own random numbers alone", {
  set.seed(1)
  before <- .Random.seed
  ask(standin_yarrow(), 0.3)
  expect_identical(.Random.seed, before)
})

test_that("structure falls with hold on both, though their own knobs run in opposite directions", {
  expect_gt(standin_yarrow()$about$hold[["at_0"]], standin_yarrow()$about$hold[["at_1"]])
  expect_lt(standin_bracken()$about$hold[["at_0"]], standin_bracken()$about$hold[["at_1"]])
  for (engine in list(standin_yarrow(), standin_bracken())) {
    by_hold <- vapply(c(0.1, 0.5, 0.7, 0.95), function(hold) {
      mean(vapply(1:3, function(seed) structure_of(ask(engine, hold, seed)), 0))
    }, 0)
    expect_gt(cor(by_hold, 1:4, method = "spearman"), 0.79)
    expect_gt(by_hold[4] - by_hold[1], 0.3)
  }
})

test_that("bracken is flat up to 55 and then has a cliff", {
  change <- internal("bracken_change")
  expect_lt(change(1) - change(52), 0.1)
  expect_gt(change(55) - change(70), 0.4)
  expect_lt(change(75) - change(100), 0.1)
})

test_that("the prompt colours the sky, and bracken ignores it above 80", {
  teal <- function(picture) {
    view <- internal("view_picture")(picture)
    mean(internal("colour_membership")(internal("in_place")(view$oklab, "top third"), "teal"))
  }
  say <- c("a windmill", "a teal sky")
  expect_gt(teal(ask(standin_yarrow(), 0.4, say = say)), teal(ask(standin_yarrow(), 0.4)) + 0.4)
  expect_gt(teal(ask(standin_bracken(), 0.7, say = say)), teal(ask(standin_bracken(), 0.7)) + 0.3)
  expect_identical(ask(standin_bracken(), 0.9, say = say), ask(standin_bracken(), 0.9))
})

test_that("ember turns too hard in colour at high guidance, tide does not", {
  spread <- function(checkpoint, guidance) {
    internal("view_picture")(ask(standin_yarrow(), 0.6, checkpoint = checkpoint, settings = list(guidance = guidance)))$spread
  }
  expect_gt(spread("ember", 16), 1.2 * spread("ember", 9))
  expect_lt(spread("tide", 16), 1.1 * spread("tide", 9))
})

test_that("a size that is no multiple of 64 is wrecked by yarrow", {
  good <- structure_of(ask(standin_yarrow(), 0.9))
  bad <- structure_of(ask(standin_yarrow(), 0.9, size = c(200L, 128L)), c(200, 128))
  expect_gt(good, bad + 0.3)
})

test_that("a look is read off its pictures", {
  paint <- function(manner, tile, seed) {
    internal("with_drawing_seed")(seed, internal("paint_manner")(internal("draw_tile")(tile, 384, 256, seed), manner, internal("home_palette")(manner)))
  }
  for (manner in internal("look_names")()) {
    looks <- list(paint(manner, "salt", 5), paint(manner, "greenhouse", 6))
    expect_equal(internal("read_manner")(looks), manner)
  }
  with_look <- ask(standin_bracken(), 0.85, look = list(paint("blueprint", "salt", 5)))
  expect_gt(mean(with_look[, , 3] - with_look[, , 1]), 0.15)
})

test_that("every tile can be drawn at any size, the same each time", {
  for (name in internal("tile_names")()) {
    tile <- internal("draw_tile")(name, 60, 90, 1)
    expect_equal(dim(tile), c(90, 60, 3))
    expect_true(all(tile >= 0 & tile <= 1))
    expect_gt(sd(tile), 0.08)
  }
  expect_identical(internal("draw_tile")("mast", 60, 40, 2), internal("draw_tile")("mast", 60, 40, 2))
})
