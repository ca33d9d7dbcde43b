# Do the measures move when what they name moves, and stay when other things
# move? Run from the root with the package installed:
#   Rscript bench/validity.R [structure] [ladders] [style] [flaws] [figure]
# Everything is done twice: with the scenes and restyles that the style space and the
# weights were made on (`tuning`), and with others that were not looked at while they
# were made (`held out`; the bounds of the flaws were set with both in view). Tables
# are printed; bench/validity.csv keeps the last figures of every part, and
# `figure` draws bench/validity.png from it.
library(sprenn)
source("bench/pictures.R")

# Forked, since every scene is worked on by itself.
over_scenes <- function(f) unlist(parallel::mclapply(seq_len(n_scenes), f, mc.cores = 2))
given <- commandArgs(TRUE)
wanted <- function(part) length(given) == 0 || part %in% given
n_scenes <- 24
frame <- c(384, 256)
parts <- c("tuning", "held_out")

scenes <- lapply(stats::setNames(nm = parts), function(part) {
  lapply(seq_len(n_scenes), draw_scene, part = part)
})

looks <- restyles()
view <- function(p, part = "take") core("view_picture")(p, frame, part)
references <- lapply(scenes, lapply, view, part = "reference")
agreement_weights <- core("agreement_weights")
rescale <- core("rescale_from_chance")

likeness <- function(a, b) {
  c(
    core("core_likenesses")(a$handle, list(b$handle), NULL)[, 1],
    registration = core("core_registered")(a$handle, b$handle, NULL)
  )
}

facts <- list()

note <- function(part, question, what, value, worst = NA, at = "") {
  facts[[length(facts) + 1]] <<- data.frame(part, question, what, value, worst, at)
  cat(
    sprintf(
      "%-9s %-46s %-20s %7.4f%s\n",
      part,
      question,
      what,
      value,
      if (is.na(worst)) "" else sprintf("   worst %7.4f %s", worst, at)
    )
  )
}

# Chance that a member of `high` exceeds one of `low`, ties counted half.
auc <- function(high, low) {
  r <- rank(c(high, low))
  n <- length(high)
  (sum(r[seq_len(n)]) - n * (n + 1) / 2) / (n * length(low))
}

with_composite <- function(values) {
  agreement <- drop(values[, names(agreement_weights)] %*% agreement_weights)
  cbind(
    values,
    structure = 0.75 * values[, "registration"] +
      0.25 * pmin(1, agreement / core("agreement_of_line_work"))
  )
}

# The values of a take against several pictures, rescaled by six others.
values_against <- function(take, others, decoys) {
  chance <- rowMeans(vapply(decoys, likeness, numeric(6), a = take))
  chance[["registration"]] <- core("registered_by_chance")
  raw <- t(vapply(others, likeness, numeric(6), a = take))
  with_composite(rescale(raw, rep(chance, each = nrow(raw))))
}

cyclic <- function(i, by) (i - 1 + by) %% n_scenes + 1

# A restyled picture against its own reference and against a dozen strangers, and what
# the mirrored reference says.
if (wanted("structure")) {
  for (part in parts) {
    refs <- references[[part]]
    rows <- lapply(names(looks[[part]]), function(name) {
      f <- looks[[part]][[name]]
      takes <- lapply(seq_len(n_scenes), function(i) restyle(scenes[[part]][[i]], f, i))
      seen <- lapply(takes, view)
      found <- lapply(seq_len(n_scenes), function(i) {
        values_against(
          seen[[i]],
          refs[c(i, cyclic(i, 1:12))],
          refs[cyclic(i, 13:18)]
        )
      })
      ssim <- lapply(seq_len(n_scenes), function(i) {
        t(
          vapply(
            refs[c(i, cyclic(i, 1:12))],
            function(ref) core("core_similarity")(seen[[i]]$handle, ref$handle),
            numeric(2)
          )
        )
      })
      own <- do.call(rbind, lapply(found, function(m) m[1, ]))
      strange <- do.call(rbind, lapply(found, function(m) m[-1, ]))
      curves <- vapply(colnames(own), function(k) auc(own[, k], strange[, k]), 0)
      curves_ssim <- vapply(
        1:2,
        function(k) {
          auc(
            vapply(ssim, function(m) m[1, k], 0),
            unlist(lapply(ssim, function(m) m[-1, k]))
          )
        },
        0
      )
      mirrored <- vapply(
        seq_len(n_scenes),
        function(i) {
          lead <- function(take) {
            core("core_mirrored")(take$handle, refs[[i]]$handle, NULL) -
              likeness(take, refs[[i]])[["orientation"]]
          }

          mean(c(lead(view(mirror(takes[[i]]))) > 0, lead(seen[[i]]) < 0))
        },
        0
      )
      lost <- vapply(
        seq_len(n_scenes),
        function(i) {
          c(
            own = core("core_framing")(seen[[i]]$handle, refs[[i]]$handle)$found,
            stranger = core("core_framing")(seen[[i]]$handle, refs[[cyclic(i, 5)]]$handle)$found
          )
        },
        logical(2)
      )
      list(
        curves = c(curves, ssim = curves_ssim[1], multi_scale_ssim = curves_ssim[2]),
        mirrored = mean(mirrored),
        own = mean(own[, "structure"]),
        strange = mean(strange[, "structure"]),
        framing = rowMeans(lost)
      )
    })
    names(rows) <- names(looks[[part]])
    curves <- do.call(rbind, lapply(rows, `[[`, "curves"))
    for (k in colnames(curves)) {
      note(
        part,
        "restyled told from restyled stranger (AUC)",
        k,
        mean(curves[, k]),
        min(curves[, k]),
        rownames(curves)[which.min(curves[, k])]
      )
    }

    told <- vapply(rows, `[[`, 0, "mirrored")
    note(
      part,
      "mirrored told from straight",
      "mirrored",
      mean(told),
      min(told),
      names(told)[which.min(told)]
    )
    note(
      part,
      "structure of a restyled picture",
      "structure",
      mean(vapply(rows, `[[`, 0, "own")),
      min(vapply(rows, `[[`, 0, "own")),
      names(rows)[which.min(vapply(rows, `[[`, 0, "own"))]
    )
    note(part, "structure of a stranger", "structure", mean(vapply(rows, `[[`, 0, "strange")))
    note(
      part,
      "framing found where nothing moved",
      "framing",
      mean(vapply(rows, function(r) r$framing[["own"]], 0))
    )
    note(
      part,
      "framing found in a stranger",
      "framing",
      mean(vapply(rows, function(r) r$framing[["stranger"]], 0))
    )
  }
}

left_mask <- matrix(rep(c(1, 0), each = 192), frame[2], frame[1], byrow = TRUE)

# Ladders of known changes, on restyled pictures: rank correlation with the rung.
scene_of <- function(take, i, part, look = list(), mask = NULL, job = "restyle", ...) {
  core("new_scene")(
    take,
    references[[part]][[i]],
    look = look,
    decoys = references[[part]][cyclic(i, 13:18)],
    mask = mask,
    job = job,
    frame = frame,
    ...
  )
}

# The same look on another scene, as what a case would give.
known_looks <- new.env()

look_of <- function(part, name, i) {
  at <- paste(part, name, i)
  if (is.null(known_looks[[at]])) {
    known_looks[[at]] <- list(
      core("look_facts")(
        view(restyle(scenes[[part]][[cyclic(i, 3)]], looks[[part]][[name]], i))
      )
    )
  }

  known_looks[[at]]
}

scores_of <- function(scene, names) {
  rows <- core("score_scene")(
    scene,
    measures = Filter(function(m) m$measure %in% names, core("all_measures")())
  )
  rows[match(names, rows$measure), ]
}

turned_by <- function(p, zoom = 1, turn = 0, x = 0, y = 0) {
  # What lies at p comes to lie at zoom * turned(p) + (x, y), in long edges.
  h <- dim(p)[1]
  w <- dim(p)[2]
  u <- (col(p[, , 1]) - 0.5 - w / 2) / w - x
  v <- (row(p[, , 1]) - 0.5 - h / 2) / w - y
  from_x <- (cos(turn) * u + sin(turn) * v) / zoom * w + w / 2 + 0.5
  from_y <- (cos(turn) * v - sin(turn) * u) / zoom * w + h / 2 + 0.5
  fold <- function(at, n) {
    at <- (at - 1) %% (2 * n - 2)
    pmin(at, 2 * n - 2 - at) + 1
  }

  fx <- fold(from_x, w)
  fy <- fold(from_y, h)
  x0 <- pmin(floor(fx), w - 1)
  y0 <- pmin(floor(fy), h - 1)
  a <- c(fx - x0)
  b <- c(fy - y0)
  each_channel(p, function(plane) {
    at <- function(dx, dy) plane[cbind(c(y0 + dy), c(x0 + dx))]
    matrix(
      (at(0, 0) * (1 - a) + at(1, 0) * a) * (1 - b) +
        (at(0, 1) * (1 - a) + at(1, 1) * a) * b,
      h
    )
  })
}

boxes_of <- function(i, share, n = 6) {
  seeded(90 + i, {
    mask <- matrix(FALSE, frame[2], frame[1])
    centres <- cbind(runif(n, 0.15, 0.85), runif(n, 0.15, 0.85))
    half <- sqrt(share / n) / 2
    for (k in seq_len(n)) {
      mask <- mask |
        (abs(row(mask) / frame[2] - centres[k, 2]) < half &
          abs(col(mask) / frame[1] - centres[k, 1]) < half)
    }

    mask
  })
}

hue_turned <- function(p, share) {
  clamp(
    (1 - share) * p +
      share *
        p[, , c(2, 3, 1)] *
        rep(1 - share * c(0.3, 0, 0.1), each = length(p) / 3)
  )
}

jpeg_saved <- function(p, quality) {
  file <- tempfile(fileext = ".jpg")
  on.exit(unlink(file))
  core("write_drawing")(clamp(p), file, quality = quality)
  read_picture(file)
}

# Looks that are not made of grain, strokes or a screen.
smooth_looks <- function(part) {
  Filter(
    function(name) {
      look <- look_of(part, name, 1)[[1]]
      look$noise < 0.02 && look$lines < 0.1
    },
    names(looks[[part]])
  )
}

if (wanted("ladders")) {
  for (part in parts) {
    ladder <- function(question,
                       measure,
                       rungs,
                       change,
                       better = 1,
                       named = names(looks[[part]]),
                       of = function(scene) {
                         scores_of(scene, measure)[[if (measure == "structure") "value" else "raw"]]
                       }) {
      found <- over_scenes(function(i) {
        name <- named[1 + i %% length(named)]
        values <- vapply(
          rungs,
          function(rung) {
            of(scene_of(view(change(i, name, rung)), i, part, look_of(part, name, i)))
          },
          0
        )
        # What does not move at all has no rank to speak of.
        if (sd(values) > 0) {
          better * cor(values, seq_along(rungs), method = "spearman")
        } else {
          0
        }
      })
      note(part, question, measure, mean(found), min(found))
    }

    own <- function(i, name) restyle(scenes[[part]][[i]], looks[[part]][[name]], i)
    stranger <- function(i, name) {
      restyle(scenes[[part]][[cyclic(i, 7)]], looks[[part]][[name]], i)
    }

    ladder(
      "ladder: warps",
      "structure",
      c(0, 0.01, 0.02, 0.04, 0.07, 0.11, 0.16),
      function(i, name, s) restyle(warped(scenes[[part]][[i]], s, i), looks[[part]][[name]], i),
      -1
    )
    ladder(
      "ladder: parts swapped",
      "structure",
      c(0, 0.1, 0.2, 0.35, 0.55, 0.8),
      function(i, name, s) {
        p <- own(i, name)
        at <- rep(boxes_of(i, s), 3)
        p[at] <- stranger(i, name)[at]
        p
      },
      -1
    )
    removed <- function(i, name, s) {
      p <- scenes[[part]][[i]]
      at <- rep(boxes_of(i, s), 3)
      p[at] <- each_channel(p, soften, size = 60)[at]
      restyle(p, looks[[part]][[name]], i)
    }

    ladder("ladder: parts removed", "structure", c(0, 0.08, 0.16, 0.3, 0.5, 0.75), removed, -1)
    ladder(
      "ladder: shifts",
      "framing",
      c(0, 0.01, 0.02, 0.04, 0.07, 0.1),
      function(i, name, s) {
        restyle(
          turned_by(scenes[[part]][[i]], x = s, y = s / 3),
          looks[[part]][[name]],
          i
        )
      },
      of = function(scene) scene$framing$moved
    )
    ladder(
      "ladder: zooms",
      "framing",
      c(1, 1.03, 1.07, 1.13, 1.2, 1.3),
      function(i, name, s) {
        restyle(turned_by(scenes[[part]][[i]], zoom = s), looks[[part]][[name]], i)
      },
      of = function(scene) scene$framing$moved
    )
    ladder(
      "ladder: turns",
      "framing",
      c(0, 1, 2, 4, 6, 9),
      function(i, name, s) {
        restyle(
          turned_by(scenes[[part]][[i]], turn = s * pi / 180),
          looks[[part]][[name]],
          i
        )
      },
      of = function(scene) scene$framing$moved
    )
    ladder(
      "ladder: recolours",
      "style_change",
      c(0, 0.15, 0.3, 0.5, 0.75, 1),
      function(i, name, s) hue_turned(scenes[[part]][[i]], s)
    )
    ladder("ladder: blur", "blur", c(0, 0.8, 1.4, 2.2, 3.2, 4.5), function(i, name, s) {
      if (s == 0) {
        own(i, name)
      } else {
        each_channel(own(i, name), function(m) core("core_blur")(m, s))
      }
    })
    ladder(
      "ladder: compression",
      "blocks",
      c(95, 50, 30, 18, 10, 5),
      function(i, name, s) jpeg_saved(own(i, name), s),
      named = smooth_looks(part)
    )
    ladder(
      "ladder: grain",
      "noise",
      c(0, 0.015, 0.03, 0.05, 0.08, 0.12),
      function(i, name, s) {
        seeded(i, clamp(own(i, name) * 0.8 + 0.1 + c(rnorm(prod(frame), sd = s))))
      }
    )
    ladder("ladder: bars", "bars", c(0, 0.02, 0.04, 0.07, 0.11), function(i, name, s) {
      p <- own(i, name)
      if (s > 0) {
        p[seq_len(round(s * frame[2])), , ] <- if (mean(
          p[round(s * frame[2]) + 1:4, , ]
        ) > 0.5) {
          0
        } else {
          1
        }
      }

      p
    })
    ladder("ladder: burnt", "burnt", c(1, 1.3, 1.6, 2, 2.6), function(i, name, s) {
      clamp(own(i, name) * 0.8 * s)
    })
    ladder(
      "ladder: seam",
      "seam",
      c(0, 0.03, 0.06, 0.1, 0.16),
      function(i, name, s) {
        p <- scenes[[part]][[i]]
        p[, 1:192, ] <- clamp(p[, 1:192, ] + ifelse(mean(p[, 186:199, ]) > 0.5, -s, s))
        p
      },
      of = function(scene) {
        scene$mask <- left_mask
        scene$job <- "edit"
        scores_of(scene, "seam")$raw
      }
    )
  }
}

# Style: any restyle changes it more than any warp; the look is named on other content.
if (wanted("style")) {
  space <- core("style_space")
  change <- function(a, b) core("style_distance")(a$style, b$style) / space$between
  for (part in parts) {
    refs <- references[[part]]
    some <- seq(1, n_scenes, by = 2)
    by_restyle <- lapply(looks[[part]], function(f) {
      vapply(
        some,
        function(i) change(view(restyle(scenes[[part]][[i]], f, i)), refs[[i]]),
        0
      )
    })
    by_warp <- unlist(lapply(c(0.02, 0.07, 0.16), function(s) {
      vapply(
        some,
        function(i) change(view(warped(scenes[[part]][[i]], s, i)), refs[[i]]),
        0
      )
    }))
    per <- vapply(by_restyle, auc, 0, low = by_warp)
    note(
      part,
      "style change ranks restyles above warps (AUC)",
      "style_change",
      auc(unlist(by_restyle), by_warp),
      min(per),
      names(per)[which.min(per)]
    )
    styles <- lapply(looks[[part]][seq_len(12)], function(f) {
      lapply(seq_len(n_scenes), function(i) view(restyle(scenes[[part]][[i]], f, i))$style)
    })
    right <- vapply(
      names(styles),
      function(name) {
        mean(
          vapply(
            3:n_scenes,
            function(i) {
              distance <- vapply(
                styles,
                function(s) {
                  core("distance_from_look")(
                    list(style = styles[[name]][[i]]),
                    list(list(style = s[[1]]), list(style = s[[2]])),
                    refs[[i]]
                  )
                },
                0
              )
              names(which.min(distance)) == name
            },
            NA
          )
        )
      },
      0
    )
    note(
      part,
      "look named among twelve, on other content",
      "style",
      mean(right),
      min(right),
      names(right)[which.min(right)]
    )
  }
}

brightest <- function(p) pmax(p[, , 1], p[, , 2], p[, , 3])

# Flaws: found at their serious level, quiet on clean restyled pictures.
scratched <- function(p, i) {
  seeded(40 + i, {
    for (k in 1:10) {
      x <- runif(1, 0.05, 0.95) * frame[1] + cumsum(rnorm(frame[2], 0, 0.4))
      rows <- seq(
        max(1, round(runif(1, -60, 100))),
        min(frame[2], round(runif(1, 150, 320)))
      )
      at <- pmin(frame[1], pmax(1, round(x[rows])))
      for (dx in 0:1) {
        p[cbind(
          rep(rows, 3),
          rep(pmin(frame[1], at + dx), 3),
          rep(1:3, each = length(rows))
        )] <- if (k %% 3) 0.95 else 0.08
      }
    }

    p
  })
}

if (wanted("flaws")) {
  for (part in parts) {
    flaws <- c(
      "bars", "wrong_size", "blank", "near_copy", "mirrored", "blur", "noise", "unfinished",
      "blocks", "banding", "burnt", "crushed"
    )
    clean <- do.call(
      rbind,
      lapply(names(looks[[part]]), function(name) {
        matrix(
          over_scenes(function(i) {
            take <- restyle(scenes[[part]][[i]], looks[[part]][[name]], i)
            levels <- scores_of(
              scene_of(view(take), i, part, look_of(part, name, i)),
              flaws
            )$level
            # A restyle that burns or crushes a third of this scene is not clean of that.
            levels[flaws == "burnt" & mean(brightest(take) >= 0.995) > 1 / 3] <- NA
            levels[flaws == "crushed" & mean(brightest(take) <= 0.01) > 1 / 3] <- NA
            levels
          }),
          ncol = length(flaws),
          byrow = TRUE
        )
      })
    )
    broken <- list(
      bars = function(p, i) {
        depth <- round(dim(p)[1] * (0.04 + 0.01 * (i %% 5)))
        # Never what the picture has there anyway: a bar that nobody can see is no flaw.
        seen <- vapply(
          c(0, 0.5, 1),
          function(colour) mean(abs(rowMeans(p[depth + 1:3, , ], dims = 2) - colour) > 0.12),
          0
        )
        p[seq_len(depth), , ] <- c(0, 0.5, 1)[which.max(seen)]
        p
      },
      wrong_size = function(p, i) {
        core("resize_picture")(p, c(384, 256 + c(-40, 40)[1 + i %% 2]))
      },
      blank = function(p, i) array(0.3 + 0.02 * (i %% 9), dim(p)),
      near_copy = function(p, i) {
        clamp(scenes[[part]][[i]] + seeded(i, rnorm(length(p), sd = 0.01)))
      },
      mirrored = function(p, i) mirror(p),
      blur = function(p, i) each_channel(p, function(m) core("core_blur")(m, 4)),
      noise = function(p, i) seeded(i, clamp(p * 0.8 + 0.1 + c(rnorm(prod(frame), sd = 0.07)))),
      unfinished = function(p, i) {
        seeded(i, clamp(p * 0.64 + 0.18 + 0.36 * c(smooth_noise(frame[2], frame[1], 2.5))))
      },
      blocks = function(p, i) jpeg_saved(p, 6),
      banding = function(p, i) {
        slow <- each_channel(scenes[[part]][[i]], function(m) core("core_blur")(m, 14))
        clamp(round(slow * 24) / 24)
      },
      # Nearly half of the picture beyond what can be shown.
      burnt = function(p, i) {
        clamp(
          1 + 5 * (scenes[[part]][[i]] - quantile(brightest(scenes[[part]][[i]]), 0.55))
        )
      },
      crushed = function(p, i) {
        clamp(5 * (scenes[[part]][[i]] - quantile(brightest(scenes[[part]][[i]]), 0.45)))
      }
    )
    for (flaw in flaws) {
      # Grain, blotches and a grid are no flaw where the look is made of them.
      named <- if (flaw %in% c("noise", "unfinished", "blocks")) {
        smooth_looks(part)
      } else {
        names(looks[[part]])
      }
      levels <- over_scenes(function(i) {
        name <- named[1 + i %% length(named)]
        take <- restyle(scenes[[part]][[i]], looks[[part]][[name]], i)
        # What is burnt or banded by itself is no look's doing.
        look <- if (flaw %in% c("burnt", "crushed", "banding")) {
          list()
        } else {
          look_of(part, name, i)
        }
        scores_of(scene_of(view(broken[[flaw]](take, i)), i, part, look), flaw)$level
      })
      note(part, "flaw found where it is", flaw, mean(levels != "none", na.rm = TRUE))
      note(part, "  and called serious", flaw, mean(levels == "serious", na.rm = TRUE))
      note(
        part,
        "  false alarms on clean pictures",
        flaw,
        mean(clean[, match(flaw, flaws)] != "none", na.rm = TRUE)
      )
    }

    # Flaws of masks, repairs and guides, each with its own kind of clean picture.
    pairs <- list(
      seam = list(
        # Other shapes in the same light.
        clean = function(p, i, f) {
          p * (1 - c(core("core_blur")(left_mask, 6))) +
            warped(p, 0.06, i) * c(core("core_blur")(left_mask, 6))
        },
        bad = function(p, i, f) {
          p[, 1:192, ] <- clamp(p[, 1:192, ] + ifelse(mean(p[, 186:199, ]) > 0.5, -0.18, 0.18))
          p
        },
        mask = left_mask,
        job = "edit"
      ),
      leak = list(
        clean = function(p, i, f) {
          q <- jpeg_saved(p, 80)
          q[, 1:192, ] <- f(p)[, 1:192, ]
          q
        },
        bad = function(p, i, f) {
          q <- f(p)
          0.4 * p + 0.6 * q
        },
        mask = left_mask,
        job = "edit"
      ),
      residual_damage = list(
        clean = function(p, i, f) clamp(p * 0.95 + 0.02),
        bad = function(p, i, f) clamp(0.1 + 0.85 * scratched(p, i)),
        mask = NULL,
        job = "repair",
        before = scratched
      ),
      guide_bleed = list(
        clean = function(p, i, f) f(p),
        bad = function(p, i, f) {
          lines <- core("compute_guide")(p, "edges")[, , 1]
          q <- f(p)
          clamp(q * (1 - 0.8 * c(lines)) + 0.8 * c(lines) * (mean(q) < 0.5))
        },
        mask = NULL,
        job = "restyle",
        guide = TRUE
      )
    )
    for (flaw in names(pairs)) {
      pair <- pairs[[flaw]]
      level_of <- function(make) {
        over_scenes(function(i) {
          name <- names(looks[[part]])[1 + i %% length(looks[[part]])]
          p <- scenes[[part]][[i]]
          take <- view(make(p, i, function(q) restyle(q, looks[[part]][[name]], i)))
          reference <- if (is.null(pair$before)) {
            references[[part]][[i]]
          } else {
            view(pair$before(p, i), "reference")
          }
          scene <- core("new_scene")(
            take,
            reference,
            look = look_of(part, name, i),
            decoys = references[[part]][cyclic(i, 13:15)],
            mask = pair$mask,
            job = pair$job,
            frame = frame,
            guide = if (isTRUE(pair$guide)) core("compute_guide")(p, "edges")[, , 1]
          )
          scores_of(scene, flaw)$level
        })
      }

      bad <- level_of(pair$bad)
      good <- level_of(pair$clean)
      # Where nothing can be said (a look that draws lines itself) nothing was.
      note(part, "flaw found where it is", flaw, mean(bad != "none", na.rm = TRUE))
      note(part, "  and called serious", flaw, mean(bad == "serious", na.rm = TRUE))
      note(part, "  false alarms on clean pictures", flaw, mean(good != "none", na.rm = TRUE))
    }
  }
}

# What was asked now replaces what was known.
if (length(facts)) {
  facts <- do.call(rbind, facts)
  known <- if (file.exists("bench/validity.csv")) utils::read.csv("bench/validity.csv")
  asked <- function(rows) paste(rows$part, rows$question, rows$what)
  facts <- rbind(known[!asked(known) %in% asked(facts), ], facts)
  utils::write.csv(
    facts[order(facts$part, decreasing = TRUE), ],
    "bench/validity.csv",
    row.names = FALSE
  )
}

# One figure: what was wanted, and where each measure came out in both parts.
if (wanted("figure")) {
  library(ggplot2)
  facts <- utils::read.csv("bench/validity.csv")
  groups <- c(
    "restyled told from restyled stranger (AUC)" = paste0(
      "Restyled told from a restyled ", "stranger (AUC; wanted 0.995)"
    ),
    "flaw found where it is" = "Flaws found where they are (share; wanted 0.98)",
    "  false alarms on clean pictures" = "False alarms on clean pictures (share; wanted under 0.02)"
  )
  other <- "Known changes ranked, looks named (wanted 0.98, looks 0.85)"
  facts <- facts[!facts$question %in% c(
    "  and called serious",
    "structure of a restyled picture",
    "structure of a stranger",
    "framing found where nothing moved",
    "framing found in a stranger"
  ), ]
  facts$group <- ifelse(facts$question %in% names(groups), groups[facts$question], other)
  facts$what <- ifelse(
    facts$group == other,
    sub(
      "^ladder: ",
      "",
      sub(
        ", on other content| restyles above warps \\(AUC\\)| from straight",
        "",
        facts$question
      )
    ),
    facts$what
  )
  facts$what <- gsub("_", " ", facts$what)
  facts$part <- ifelse(facts$part == "tuning", "tuned on", "held out")
  facts$group <- factor(facts$group, c(groups[1], other, groups[2:3]))
  wanted_at <- data.frame(
    group = factor(levels(facts$group), levels(facts$group)),
    at = c(0.995, 0.98, 0.98, 0.02)
  )
  figure <- ggplot(facts, aes(value, stats::reorder(what, value))) +
    geom_vline(aes(xintercept = at), wanted_at, colour = "grey55", linetype = "22") +
    geom_point(
      aes(shape = part),
      size = 2.4,
      colour = "#1f4e79",
      stroke = 0.9,
      position = position_dodge(0.5)
    ) +
    scale_shape_manual(NULL, values = c("tuned on" = 1, "held out" = 19)) +
    facet_wrap(~group, scales = "free", ncol = 2) +
    labs(
      x = NULL,
      y = NULL,
      title = "Do the measures move with what they name, and stay with what they don't?"
    ) +
    theme_minimal(base_size = 12) +
    theme(
      legend.position = "bottom",
      panel.grid.major.y = element_line(linetype = "13"),
      plot.title.position = "plot",
      strip.text = element_text(hjust = 0, face = "bold")
    )
  ragg::agg_png("bench/validity.png", 1280, 860, res = 96)
  print(figure)
  invisible(dev.off())
}
