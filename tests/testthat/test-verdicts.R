# What is wrong must not win: for each job, engines that do the work are run against some
# that only seem to, and the verdict is read.

# A trial of one job. `pictures` are what engines are given; an engine is a function of the
# request and the number of the case, from 1.
job_trial <- function(
  job,
  pictures,
  engines,
  extra = "",
  look = NULL,
  floors = "{structure: 0.2}",
  style = "stay",
  weights = "{structure: 1, style: 1}",
  env = parent.frame()
) {
  folder <- withr::local_tempdir(.local_envir = env)
  dir.create(file.path(folder, "references"))
  for (i in seq_along(pictures)) {
    png::writePNG(pictures[[i]], file.path(folder, "references", paste0("r", i, ".png")))
  }

  if (!is.null(look)) {
    png::writePNG(look, file.path(folder, "look.png"))
  }

  # What an engine was given tells it the case: references differ.
  which_case <- function(request) {
    far <- vapply(
      pictures,
      function(p) {
        mean(
          abs(
            resize_picture(p, c(16, 16)) -
              resize_picture(request$reference, c(16, 16))
          )
        )
      },
      0
    )
    which.min(far)
  }

  made <- lapply(names(engines), function(name) {
    engine(
      about = list(
        name = name,
        version = "1",
        checkpoints = list(plain = list()),
        hold = c(at_0 = 0, at_1 = 1),
        takes = c("look", "mask", "references"),
        price = 0.1,
        seconds = 0.01
      ),
      make = function(request) {
        engine_result(
          pmin(pmax(engines[[name]](request, which_case(request)), 0), 1),
          cost = 0.1,
          seed = request$seed
        )
      }
    )
  })
  names(made) <- names(engines)
  assign("verdict_engines", made, globalenv())
  withr::defer(suppressWarnings(rm("verdict_engines", envir = globalenv())), envir = env)
  for (name in names(engines)) {
    writeLines(
      sprintf("get('verdict_engines', globalenv())[['%s']]", name),
      file.path(folder, paste0(name, ".R"))
    )
  }

  writeLines(
    c(
      "suite: verdicts",
      "seeds: [1, 2]",
      sprintf("size: [%d, %d]", ncol(pictures[[1]]), nrow(pictures[[1]])),
      if (!is.null(look)) "looks: {wanted: {pictures: [look.png]}}",
      "cases:",
      sprintf(
        "  - {id: c%d, job: %s, reference: references/r%d.png, prompt: a thing%s%s}",
        seq_along(pictures),
        job,
        seq_along(pictures),
        extra,
        if (is.null(look)) "" else ", look: wanted"
      )
    ),
    file.path(folder, "suite.yml")
  )
  writeLines(
    c(
      "engines:",
      sprintf("  %s: {kind: function, file: %s.R}", names(engines), names(engines)),
      "pipelines:",
      sprintf("  - {id: %s, engine: %s, hold: 0.5}", names(engines), names(engines))
    ),
    file.path(folder, "lineup.yml")
  )
  writeLines(
    c(
      "brief: the job done",
      paste("weights:", weights),
      paste("floors:", floors),
      paste("style:", style)
    ),
    file.path(folder, "brief.yml")
  )
  trial <- read_trial(folder)
  run_trial(trial, workers = 1)
  trial
}

keepers_of <- function(trial) {
  verdict <- choose_pipeline(trial)
  stats::setNames(verdict$pipelines$keepers, verdict$pipelines$pipeline)
}

flaws_named <- function(trial) {
  scores <- score_run(trial)$scores
  wrong <- scores[scores$axis == "flaws" & scores$level %in% "serious", ]
  lapply(split(wrong$measure, wrong$pipeline), unique)
}

wide_scenes <- lapply(c(11, 24, 35), function(seed) 0.1 + 0.8 * scene(seed, 320, 192))

test_that("a canvas that was left bare, smeared, blurred or mirrored does not win an extension", {
  inside <- 1:256
  outside <- 257:320
  given <- lapply(wide_scenes, function(p) p[, inside, ])
  frame <- function(p, request) resize_picture(p, request$size)
  mirrored_on <- function(p) p[, c(inside, 512 - outside + 1), ]
  engines <- list(
    goes_on = function(request, i) frame(wide_scenes[[i]], request),
    leaves_bare = function(request, i) request$reference,
    smears = function(request, i) frame(given[[i]][, c(inside, rep(256, 64)), ], request),
    mirrors = function(request, i) frame(mirrored_on(given[[i]]), request),
    blurs = function(request, i) {
      p <- mirrored_on(given[[i]])
      p[, outside, ] <- each_channel(p, function(m) core_blur(m, 7))[
        ,
        outside,
      ]
      frame(p, request)
    }
  )
  trial <- job_trial("extend", given, engines, extra = ", grow: {right: 0.25}")
  verdict <- choose_pipeline(trial)
  expect_equal(verdict$best, "goes_on")
  kept <- keepers_of(trial)
  expect_equal(kept[["goes_on"]], 1)
  for (name in setdiff(names(engines), "goes_on")) {
    expect_lt(kept[[name]], 0.4)
  }

  named <- flaws_named(trial)
  expect_true("near_copy" %in% named$leaves_bare)
  expect_true("patch" %in% named$smears)
  expect_true("repeated" %in% named$mirrors)
})

test_that("a copy, a flat patch and a noisy one do not win an edit", {
  pictures <- lapply(wide_scenes, function(p) p[, 1:256, ])
  inside <- list(rows = 62:130, columns = 91:166)
  changed <- function(p, by) {
    p[inside$rows, inside$columns, ] <- by(p[inside$rows, inside$columns, , drop = FALSE])
    p
  }

  engines <- list(
    edits = function(request, i) {
      changed(pictures[[i]], function(part) {
        0.1 +
          0.8 *
            (0.3 * part + 0.7 * part[, , c(3, 1, 2)])[
              rev(seq_len(nrow(part))), ,
            ]
      })
    },
    copies = function(request, i) request$reference,
    flattens = function(request, i) changed(pictures[[i]], function(part) part * 0 + 0.45),
    makes_noise = function(request, i) {
      changed(pictures[[i]], function(part) {
        withr::with_seed(i, part * 0 + stats::runif(length(part)))
      })
    }
  )
  trial <- job_trial(
    "edit",
    pictures,
    engines,
    extra = ", mask: {boxes: [[0.35, 0.32, 0.65, 0.68]]}"
  )
  kept <- keepers_of(trial)
  expect_equal(choose_pipeline(trial)$best, "edits")
  for (name in c("copies", "flattens", "makes_noise")) {
    expect_lt(kept[[name]], 0.4)
  }

  named <- flaws_named(trial)
  expect_true("near_copy" %in% named$copies)
  expect_true("patch" %in% named$flattens)
  expect_true("patch" %in% named$makes_noise)
})

test_that("in a repair, marks that others removed are damage, the picture's lines are not", {
  clean <- lapply(wide_scenes, function(p) {
    p <- each_channel(p, function(m) core_blur(m, 1))
    # Lines that belong there.
    for (x in c(60, 61, 200, 201)) {
      p[, x, ] <- p[, x, ] * 0.3
    }

    p[, 1:256, ]
  })
  scratches <- c(30, 31, 97, 98, 150, 151, 222, 223)
  worn <- lapply(clean, function(p) {
    p[10:180, scratches, ] <- 0.95
    p
  })
  engines <- list(
    mends = function(request, i) clean[[i]],
    leaves = function(request, i) request$reference,
    redraws_dark = function(request, i) {
      p <- clean[[i]]
      p[10:180, scratches, ] <- 0.05
      p
    }
  )
  # One mends the scratches and takes a part of the picture away with them.
  engines$also_mends <- function(request, i) 0.98 * clean[[i]]
  engines$erases <- function(request, i) {
    p <- clean[[i]]
    p[60:130, 185:220, ] <- rep(colMeans(p[60:130, 185, ]), each = 71 * 36)
    p
  }

  trial <- job_trial("repair", worn, engines)
  kept <- keepers_of(trial)
  expect_equal(kept[["mends"]], 1)
  expect_equal(kept[["erases"]], 0)
  expect_equal(kept[["leaves"]], 0)
  expect_equal(kept[["redraws_dark"]], 0)
})

test_that("an unmoved line drawing keeps its layout, and a melted picture does not", {
  pictures <- lapply(wide_scenes, function(p) p[, 1:256, ])
  drawn <- function(p) {
    light <- rowMeans(p, dims = 2)
    lines <- pmax(core_blur(light, 1.6) - core_blur(light, 1), 0)
    array(rep(1 - pmin(1, 25 * lines), 3), dim(p))
  }

  melted <- function(p) {
    h <- nrow(p)
    w <- ncol(p)
    sway <- function(seed) {
      round(
        0.08 * w * with_drawing_seed(seed, smooth_noise(h, w, w / 4))
      )
    }

    at <- cbind(
      c(pmin(h, pmax(1, row(p[, , 1]) + sway(1)))),
      c(pmin(w, pmax(1, col(p[, , 1]) + sway(2))))
    )
    each_channel(p, function(m) matrix(m[at], h))
  }

  engines <- list(
    draws = function(request, i) drawn(pictures[[i]]),
    melts = function(request, i) melted(pictures[[i]])
  )
  trial <- job_trial(
    "restyle",
    pictures,
    engines,
    look = drawn(scene(77, 256, 192)),
    style = "reach the look"
  )
  scores <- score_run(trial)$scores
  structure <- function(name) {
    mean(scores$value[scores$measure == "structure" & scores$pipeline == name])
  }

  expect_gt(structure("draws"), 0.75)
  expect_lt(structure("melts"), 0.5)
  expect_equal(choose_pipeline(trial)$best, "draws")
})

# Squares of one colour each, of few tones.
in_squares <- function(p) {
  small <- resize_picture(p, c(ncol(p), nrow(p)) / 8)
  rows <- rep(seq_len(nrow(small)), each = 8)
  columns <- rep(seq_len(ncol(small)), each = 8)
  round(small[rows, columns, ] * 7) / 7
}

# Flat colours between dark lines, as for a film of drawings.
in_flat_colours <- function(p) {
  smooth <- each_channel(p, function(m) core_blur(m, 2))
  light <- rowMeans(smooth, dims = 2)
  lines <- pmax(core_blur(light, 2) - light, 0) > 0.012
  flat <- round(smooth * 4) / 4
  flat * array(rep(ifelse(lines, 0.15, 1), 3), dim(p))
}

test_that("what is wholly in the look wins, whatever it shows", {
  pictures <- lapply(wide_scenes, function(p) p[, 1:256, ])
  for (manner in list(in_squares, in_flat_colours)) {
    other <- if (identical(manner, in_squares)) in_flat_colours else in_squares
    engines <- list(
      reaches_it = function(request, i) manner(pictures[[i]]),
      goes_half_way = function(request, i) 0.5 * manner(pictures[[i]]) + 0.5 * pictures[[i]],
      goes_elsewhere = function(request, i) other(pictures[[i]])
    )
    trial <- job_trial(
      "restyle",
      pictures,
      engines,
      look = manner(scene(77, 256, 192)),
      style = "reach the look",
      weights = "{structure: 1, style: 3}"
    )
    scores <- score_run(trial)$scores
    matches <- function(name) {
      scores$value[scores$measure == "look_match" & scores$pipeline == name]
    }

    expect_equal(choose_pipeline(trial)$best, "reaches_it")
    expect_gt(min(matches("reaches_it")), 0.7)
    expect_lt(diff(range(matches("reaches_it"))), 0.3)
    expect_lt(max(matches("goes_elsewhere")), 0.5)
  }
})

test_that("without a look to go by, clean drawings and prints are keepers", {
  pictures <- lapply(wide_scenes, function(p) p[, 1:256, ])
  light_of <- function(p) {
    rowMeans(each_channel(p, function(m) core_blur(m, 1)), dims = 2)
  }

  as_grey <- function(m) array(rep(m, 3), c(dim(m), 3))
  engines <- list(
    # Ink on white paper, the darker the more strokes.
    hatches = function(request, i) {
      light <- light_of(pictures[[i]])
      strokes <- (row(light) + col(light)) %% 6 < 6 * (0.75 - light)
      as_grey(ifelse(strokes, 0.08, 1))
    },
    # Dots of three inks on white paper.
    prints = function(request, i) {
      p <- each_channel(pictures[[i]], function(m) core_blur(m, 1))
      for (k in 1:3) {
        m <- p[, , k]
        dots <- (1 +
          cos((row(m) + k * col(m) / 2) * 1.1) *
            cos((col(m) - k * row(m) / 2) * 1.1)) /
          2
        p[, , k] <- ifelse(dots > m, 0.1, 1)
      }

      p
    },
    tiles = function(request, i) in_squares(pictures[[i]]),
    leaves_noise = function(request, i) {
      noise <- with_drawing_seed(i, stats::rnorm(192 * 256, sd = 0.12))
      pictures[[i]] + array(rep(noise, 3), dim(pictures[[i]]))
    }
  )
  trial <- job_trial("restyle", pictures, engines, style = "{change: [0.2, 1.5]}")
  kept <- keepers_of(trial)
  expect_equal(kept[["hatches"]], 1)
  expect_equal(kept[["prints"]], 1)
  expect_equal(kept[["tiles"]], 1)
  expect_equal(kept[["leaves_noise"]], 0)
})
