# One request, as the runner would put it.
ask <- function(
  engine,
  hold,
  seed = 11L,
  say = "a windmill on a hill",
  look = NULL,
  settings = list(),
  checkpoint = NULL,
  size = c(192L, 128L)
) {
  reference <- draw_tile("windmill", size[1], size[2], 301)
  request <- list(
    prompt = tibble::tibble(say = say, weight = 1),
    reference = reference,
    negative = NULL,
    looks = look,
    hold = hold,
    native_hold = to_native_hold(hold, engine$about),
    checkpoint = checkpoint %||% names(engine$about$checkpoints)[1],
    settings = settings,
    size = size,
    seed = seed
  )
  engine$make(request)$picture
}

structure_of <- function(picture, size = c(192, 128)) {
  view <- view_picture
  contours_agree(view(picture), view(draw_tile("windmill", size[1], size[2], 301)))
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
    by_hold <- vapply(
      c(0.1, 0.5, 0.7, 0.95),
      function(hold) {
        mean(vapply(1:3, function(seed) structure_of(ask(engine, hold, seed)), 0))
      },
      0
    )
    expect_gt(cor(by_hold, 1:4, method = "spearman"), 0.79)
    expect_gt(by_hold[4] - by_hold[1], 0.3)
  }
})

test_that("bracken is flat up to 55 and then has a cliff", {
  change <- bracken_change
  expect_lt(change(1) - change(52), 0.1)
  expect_gt(change(55) - change(70), 0.4)
  expect_lt(change(75) - change(100), 0.1)
})

test_that("the prompt colours the sky, and bracken ignores it above 80", {
  teal <- function(picture) {
    seen <- see_place(list(take = view_picture(picture)), "top third")
    mean(colour_membership(seen$lab, "teal"))
  }

  say <- c("a windmill", "a teal sky")
  expect_gt(teal(ask(standin_yarrow(), 0.4, say = say)), teal(ask(standin_yarrow(), 0.4)) + 0.4)
  expect_gt(
    teal(ask(standin_bracken(), 0.7, say = say)),
    teal(ask(standin_bracken(), 0.7)) + 0.3
  )
  expect_identical(ask(standin_bracken(), 0.9, say = say), ask(standin_bracken(), 0.9))
})

test_that("ember turns too hard in colour at high guidance, tide does not", {
  spread <- function(checkpoint, guidance) {
    view_picture(
      ask(standin_yarrow(), 0.6, checkpoint = checkpoint, settings = list(guidance = guidance))
    )$spread
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
    with_drawing_seed(
      seed,
      paint_manner(
        draw_tile(tile, 384, 256, seed),
        manner,
        home_palette(manner)
      )
    )
  }

  for (manner in look_names()) {
    looks <- list(paint(manner, "salt", 5), paint(manner, "greenhouse", 6))
    expect_equal(read_manner(looks), manner)
  }

  with_look <- ask(standin_bracken(), 0.85, look = list(paint("blueprint", "salt", 5)))
  expect_gt(mean(with_look[, , 3] - with_look[, , 1]), 0.15)
})

test_that("every tile can be drawn at any size, the same each time", {
  for (name in tile_names()) {
    tile <- draw_tile(name, 60, 90, 1)
    expect_equal(dim(tile), c(90, 60, 3))
    expect_true(all(tile >= 0 & tile <= 1))
    expect_gt(sd(tile), 0.08)
  }

  expect_identical(
    draw_tile("mast", 60, 40, 2),
    draw_tile("mast", 60, 40, 2)
  )
})

asked <- function(engine, ...) {
  about <- engine$about
  request <- utils::modifyList(
    list(
      prompt = tibble::tibble(say = "a thing", weight = 1),
      negative = character(),
      looks = list(),
      guides = list(),
      grow = rep(0, 4),
      add_ons = list(),
      hold = 0.5,
      native_hold = about$hold[["at_0"]] + 0.5 * (about$hold[["at_1"]] - about$hold[["at_0"]]),
      checkpoint = names(about$checkpoints)[1],
      settings = list(),
      size = c(192, 128),
      seed = 3
    ),
    list(...)
  )
  engine$make(request)$picture
}

tile <- function(name = "mast", seed = 5) draw_tile(name, 192, 128, seed)

test_that("outside a mask everything stays, add-ons included", {
  mask <- matrix(0, 128, 192)
  mask[, 97:192] <- 1
  for (make in list(standin_yarrow, standin_bracken)) {
    made <- asked(
      make(),
      references = list(tile()),
      reference = tile(),
      mask = mask,
      add_ons = list(grain = 1)
    )
    expect_equal(made[, 1:96, ], tile()[, 1:96, ])
    expect_gt(mean(abs(made[, 97:192, ] - tile()[, 97:192, ])), 0.03)
  }
})

test_that("the grain of the add-on comes with its weight", {
  grain <- function(weight) {
    made <- asked(
      standin_yarrow(),
      references = list(tile()),
      reference = tile(),
      add_ons = list(grain = weight)
    )
    mean(abs(made[, -1, 1] - made[, -192, 1]))
  }

  expect_true(grain(0) < grain(0.5) && grain(0.5) < grain(1))
})

test_that("new canvas is painted on from what is there", {
  reference <- array(0.5, c(128, 192, 3))
  reference[33:128, 49:192, ] <- tile()[33:128, 49:192, ]
  mask <- matrix(1, 128, 192)
  mask[33:128, 49:192] <- 0
  made <- asked(
    standin_yarrow(),
    references = list(reference),
    reference = reference,
    mask = mask,
    grow = c(0.25, 0.25, 0, 0)
  )
  expect_equal(made[33:128, 49:192, ], reference[33:128, 49:192, ])
  expect_gt(stats::sd(made[1:32, 1:48, ]), 0.02)
})

test_that("a second reference shows by its weight, and text alone makes a scene", {
  both <- function(weight) {
    asked(
      standin_yarrow(),
      references = list(tile("mast"), tile("salt")),
      reference = tile("mast"),
      reference_weights = c(1, weight),
      native_hold = 0.1
    )
  }

  apart <- function(weight) {
    mean(
      abs(
        both(weight) -
          asked(
            standin_yarrow(),
            references = list(tile("mast")),
            reference = tile("mast"),
            reference_weights = 1,
            native_hold = 0.1
          )
      )
    )
  }

  expect_true(apart(0.2) < apart(4))
  fresh <- asked(
    standin_bracken(),
    references = list(),
    prompt = tibble::tibble(say = "a lighthouse", weight = 1),
    hold = 1,
    native_hold = 80,
    looks = list()
  )
  expect_equal(dim(fresh), c(128, 192, 3))
  expect_gt(stats::sd(fresh), 0.05)
})

test_that("guides hold the layout that a low hold lets go of", {
  view <- function(p) view_picture(p)
  structure <- function(guides) {
    made <- asked(
      standin_yarrow(),
      references = list(tile()),
      reference = tile(),
      hold = 0.2,
      native_hold = 0.8,
      guides = guides
    )
    contours_agree(view(made), view(tile()))
  }

  firm <- structure(list(edges = list(weight = 1.5, release = 1)))
  brief <- structure(list(edges = list(weight = 1.5, release = 0.2)))
  expect_true(structure(list()) < brief && brief < firm)
})

test_that("the demo's wear is mended a little by those who are asked to", {
  worn <- wear(tile("greenhouse"), 4)
  clean <- 0.12 + 0.82 * tile("greenhouse")
  made <- asked(
    standin_yarrow(),
    references = list(worn),
    reference = worn,
    hold = 0.9,
    native_hold = 0.1,
    prompt = tibble::tibble(say = "mended, without scratches", weight = 1)
  )
  scratched <- rowMeans(abs(worn - clean), dims = 2) > 0.2
  expect_lt(
    mean(abs(made - clean)[rep(scratched, 3)]),
    0.85 * mean(abs(worn - clean)[rep(scratched, 3)])
  )
})
