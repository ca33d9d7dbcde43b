view_of <- function(p, part = "decoy") view_picture(p, dim(p)[2:1], part)

registered <- function(a, b, kept = NULL) {
  core_registered(view_of(a)$handle, view_of(b)$handle, kept)
}

shifted <- function(p, by) p[, pmin(ncol(p), pmax(1, seq_len(ncol(p)) - by)), ]

test_that("a picture lies where it lies: in itself, in its negative, and as lines", {
  for (seed in c(1, 5, 9)) {
    p <- scene(seed, 320, 224)
    expect_equal(registered(p, p), 1)
    expect_gt(registered(1 - p, p), 0.99)
    light <- rowMeans(p, dims = 2)
    steep <- abs(core_blur(light, 1) - core_blur(light, 2))
    expect_gt(registered(array(rep(1 - pmin(1, 12 * steep), 3), dim(p)), p), 0.85)
  }
})

test_that("the further its parts moved, the less; a stranger has about what chance has", {
  p <- scene(3, 320, 224)
  moved <- vapply(c(0, 4, 8, 16), function(by) registered(shifted(p, by), p), 0)
  expect_true(all(diff(moved) < 0))
  strangers <- vapply(11:18, function(seed) registered(scene(seed, 320, 224), p), 0)
  expect_equal(mean(strangers), registered_by_chance, tolerance = 0.5)
  expect_lt(max(strangers), moved[2])
})

test_that("what a mask lets change does not count, and nothing has moved where nothing is", {
  p <- scene(4, 320, 224)
  half <- p
  half[, 161:320, ] <- scene(77, 160, 224)
  kept <- matrix(rep(c(1, 0), each = 160), 224, 320, byrow = TRUE)
  expect_lt(registered(half, p), 0.8)
  expect_gt(registered(half, p, kept), registered(half, p) + 0.1)
  plain <- array(0.5, c(64, 96, 3))
  expect_equal(registered(plain, plain), 1)
})

test_that("damage is what a fifth of the takes mended, and each is judged by what it left of it", {
  left <- damage_left
  # Of 100 marks the first 70 were mended by two of three takes, the rest by none.
  stayed <- rbind(
    mended = rep(c(FALSE, TRUE), c(70, 30)),
    half = rep(c(FALSE, TRUE), c(35, 65)),
    untouched = rep(TRUE, 100)
  )
  expect_equal(left(stayed), c(mended = 0, half = 0.5, untouched = 1))
  # Nobody mended anything, or next to nothing.
  expect_null(left(stayed[c(3, 3), ]))
  expect_null(left(rbind(rep(c(FALSE, TRUE), c(20, 80)), rep(TRUE, 100))))
  # One of ten that erased more than the others damages nobody.
  ten <- rbind(
    rep(FALSE, 100),
    matrix(rep(rep(c(FALSE, TRUE), c(70, 30)), 9), 9, byrow = TRUE)
  )
  expect_equal(left(ten), rep(0, 10))
})

test_that("what one good repair lost and others kept was erased, in one part only", {
  places <- as.matrix(expand.grid(x = (0:39 + 0.5) / 40, y = (0:39 + 0.5) / 40))
  whole <- rep(TRUE, nrow(places))
  eyes <- whole &
    !(places[, 1] > 0.45 & places[, 1] < 0.65 & places[, 2] > 0.45 & places[, 2] < 0.65)
  softer <- whole & seq_along(whole) %% 3 > 0
  erased <- function(stayed, left = rep(0.1, nrow(stayed))) {
    measure_erased()$compute(stayed, places, left)
  }

  found <- erased(rbind(whole, eyes, softer, whole))
  expect_equal(vapply(found, `[[`, "", "level"), c("none", "serious", "none", "none"))
  box <- as.numeric(strsplit(found[[2]]$place, " ")[[1]][-1])
  expect_true(all(abs(box - c(0.47, 0.47, 0.63, 0.63)) < 0.1))
  # Who left the damage is no witness, and one witness is not enough.
  alone <- erased(rbind(whole, eyes, whole, whole), left = c(0.1, 0.1, 0.9, 0.9))
  expect_true(is.na(alone[[2]]$value))
})

test_that("what may be a look's own doing is at most slight where nothing shows the look", {
  doubtful <- may_be_the_look
  a <- view_picture(scene(1, 192, 128))
  far <- view_picture(array(as.numeric(scene(1, 192, 128) > 0.5), c(128, 192, 3)))
  expect_equal(doubtful(list(look = list(a), take = far, reference = a)), character())
  expect_equal(doubtful(list(look = list(), take = a, reference = a)), character())
  expect_setequal(
    doubtful(list(look = list(), take = a, reference = NULL)),
    c("noise", "unfinished", "banding", "burnt", "crushed", "blocks", "bars")
  )
  expect_true("burnt" %in% doubtful(list(look = list(), take = far, reference = a)))
})
