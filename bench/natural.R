# Do the measures hold where people work? Photographs out of packages (bench/natural/
# photographs.csv), looks in four media that other programs make of them, and defects as
# engines leave them, all at graded strength. Run from the root with the package installed,
# on Debian with gmic and gegl there:
#   Rscript bench/natural.R [structure] [style] [clean] [flaws] [masks] [repair]
# [local] [probes] [fit]
# Pictures are fetched and made once and kept outside the repository (SPRENN_NATURAL, or R's
# cache folder). Making the looks takes half an hour, once, and the rest 20 minutes on two cores.
# Bounds and the style space were made on the part `fit` of photographs, looks and
# defects; what is printed and kept in bench/natural.csv is of the part `report`. What the
# parts do not keep apart is said in docs/measures.md. With `fit`, that part is printed, and
# not kept.
suppressMessages(library(sprenn))
source("bench/natural/gather.R")
source("bench/natural/looks.R")
source("bench/natural/defects.R")

given <- commandArgs(TRUE)
part <- if ("fit" %in% given) "fit" else "report"
asked <- setdiff(given, "fit")
wanted <- function(question) length(asked) == 0 || question %in% asked
began <- Sys.time()

photographs <- gather_photographs()
in_looks <- spread_over(photographs, part, if (part == "fit") 40 else 32)
many <- photographs[photographs$part == part, ]
looks <- names(looks_of(part))
picture_at <- function(i, of = in_looks, edge = 512) pixels_of(photograph(of$path[i], edge))
in_look_at <- function(i, look) pixels_of(in_look(photograph(in_looks$path[i], 512), look))
after <- function(i, by, n) (i - 1 + by) %% n + 1
over <- function(indices, f) parallel::mclapply(indices, f, mc.cores = 2)

facts <- list()

note <- function(question, wanted, value, worst = NA, at = "") {
  facts[[length(facts) + 1]] <<- data.frame(
    question,
    wanted,
    value = round(value, 4),
    worst = round(worst, 4),
    at
  )
  cat(
    sprintf(
      "%-64s wanted %-12s %7.3f%s\n",
      question,
      wanted,
      value,
      if (is.na(worst)) "" else sprintf("   worst %6.3f %s", worst, at)
    )
  )
}

# Chance that a member of `high` exceeds one of `low`, ties counted half.
auc <- function(high, low) {
  r <- rank(c(high, low))
  n <- length(high)
  (sum(r[seq_len(n)]) - n * (n + 1) / 2) / (n * length(low))
}

view <- function(p, frame, part = "take") core("view_picture")(p, frame, part)
fitted <- function(p, frame) core("resize_picture")(p, frame)

# Views of four other photographs in this frame: chance.
decoys_of <- function(i, frame, of = in_looks) {
  lapply(c(3, 7, 11, 17), function(by) {
    view(fitted(picture_at(after(i, by, nrow(of)), of), frame), frame, "decoy")
  })
}

# The scores of a take, by measure.
scored <- function(take, reference, decoys, ..., only) {
  frame <- reference$own
  # Chance says nothing of flaws, but something must say what it is.
  if (length(decoys) == 0) {
    decoys <- lapply(core("draw_decoys")(frame, 1), view, frame = frame, part = "decoy")
  }

  scene <- core("new_scene")(view(take, frame), reference, decoys = decoys, frame = frame, ...)
  rows <- core("score_scene")(
    scene,
    measures = Filter(function(m) m$measure %in% only, core("all_measures")())
  )
  split(rows, factor(rows$measure, only))
}

level_of <- function(rows) {
  if (nrow(rows) == 0) {
    NA_character_
  } else {
    max(factor(rows$level, c("none", "slight", "serious"), ordered = TRUE))
  }
}

reference_of <- function(p) view(p, dim(p)[2:1], "reference")

facts_of_look <- function(i, look, by = c(5, 9)) {
  lapply(after(i, by, nrow(in_looks)), function(j) {
    core("look_facts")(core("view_picture")(in_look_at(j, look)))
  })
}

if (wanted("structure")) {
  found <- over(seq_len(nrow(in_looks)), function(i) {
    p <- picture_at(i)
    frame <- dim(p)[2:1]
    reference <- reference_of(p)
    decoys <- decoys_of(i, frame)
    stranger <- reference_of(fitted(picture_at(after(i, 5, nrow(in_looks))), frame))
    value <- function(take, of = reference, measure = "structure") {
      scored(take, of, decoys, only = measure)[[measure]]$value
    }

    row <- function(what, of_look, v) data.frame(i, what, look = of_look, value = v)
    rows <- list(
      row("same", "", value(p)),
      row("mirrored", "", value(p[, rev(seq_len(ncol(p))), ], measure = "mirrored"))
    )
    for (s in c(0.01, 0.03, 0.05, 0.08, 0.16)) {
      rows <- c(rows, list(row("warp", as.character(s), value(warped_by(p, s, i)))))
    }

    for (look in looks) {
      take <- in_look_at(i, look)
      rows <- c(
        rows,
        list(
          row("own", look, value(take)),
          row("stranger", look, value(take, stranger)),
          row("straight", look, value(take, measure = "mirrored"))
        )
      )
    }

    for (degrees in c(1, 2)) {
      rows <- c(
        rows,
        list(
          row(
            "turn",
            as.character(degrees),
            scored(placed(p, degrees), reference, decoys, only = "framing")$framing$raw
          )
        )
      )
    }

    for (zoom in c(1.1, 1.4, 1.7, 2)) {
      seen <- scored(placed(p, 0, zoom), reference, decoys, only = "framing")$framing
      rows <- c(
        rows,
        list(row("zoom", as.character(zoom), as.numeric(grepl("zoomed", seen$place))))
      )
    }

    do.call(rbind, rows)
  })
  found <- do.call(rbind, found)
  own <- found[found$what == "own", ]
  plain <- found$value[found$what == "warp" & found$look == "0.03"]
  per_look <- vapply(split(own$value, own$look), auc, 0, low = plain)
  note(
    "structure: unmoved in a look above the plain picture warped by 3 % (AUC)",
    "0.99 / 0.97",
    mean(per_look),
    min(per_look),
    names(which.min(per_look))
  )
  means <- vapply(split(own$value, own$look), mean, 0)
  note(
    "structure of unmoved takes, mean of looks",
    "0.80 lowest",
    mean(means),
    min(means),
    names(which.min(means))
  )
  note(
    "structure of the same picture",
    "1",
    mean(found$value[found$what == "same"]),
    min(found$value[found$what == "same"])
  )
  strange <- found[found$what == "stranger", ]
  told <- vapply(
    names(means),
    function(look) auc(own$value[own$look == look], strange$value[strange$look == look]),
    0
  )
  note(
    "restyled told from restyled stranger (AUC)",
    "0.999",
    auc(own$value, strange$value),
    min(told),
    names(which.min(told))
  )
  note(
    "mirrored told from straight (AUC)",
    "0.996",
    auc(found$value[found$what == "mirrored"], found$value[found$what == "straight"])
  )
  ladder <- found[found$what %in% c("same", "warp"), ]
  ladder$rung <- ifelse(ladder$what == "same", 0, suppressWarnings(as.numeric(ladder$look)))
  ranks <- vapply(
    split(ladder, ladder$i),
    function(one) -cor(one$value, one$rung, method = "spearman"),
    0
  )
  note("structure falls along warps (rank correlation)", "1.000", mean(ranks), min(ranks))
  note(
    "a turn of 1 degree found (share)",
    "found",
    mean(found$value[found$what == "turn" & found$look == "1"] > 0)
  )
  zooms <- found[found$what == "zoom", ]
  for (zoom in unique(zooms$look)) {
    note(
      paste("a zoom of", zoom, "found (share)"),
      "found",
      mean(zooms$value[zooms$look == zoom] %in% 1)
    )
  }
}

if (wanted("style")) {
  n <- nrow(in_looks)
  views <- over(seq_len(n), function(i) {
    seen <- lapply(stats::setNames(nm = looks), function(look) {
      core("view_picture")(in_look_at(i, look))["style"]
    })
    p <- picture_at(i)
    h <- nrow(p)
    w <- ncol(p)
    changed <- list(
      warp = warped_by(p, 0.05, i),
      crop = fitted(
        p[
          seq(round(0.1 * h), round(0.9 * h)),
          seq(round(0.1 * w), round(0.9 * w)),
        ],
        c(w, h)
      ),
      balance = within01(p * rep(c(1.06, 1, 0.94), each = h * w)),
      brighter = within01(p * 1.12),
      darker = p * 0.88,
      jpeg = as_jpeg(p, 75)
    )
    blends <- if (i %% 4 == 1) {
      lapply(stats::setNames(nm = looks), function(look) {
        take <- in_look_at(i, look)
        lapply(c(0.25, 0.5, 0.75), function(b) {
          core("view_picture")(p * (1 - b) + take * b)["style"]
        })
      })
    }
    list(
      own = core("view_picture")(p)["style"],
      looks = seen,
      changed = lapply(changed, function(q) core("view_picture")(q)["style"]),
      blends = blends
    )
  })
  named <- function(count, rounds) {
    set.seed(1)
    right <- list()
    for (round in seq_len(rounds)) {
      some <- sample(looks, min(count, length(looks)))
      examples <- lapply(some, function(look) sample(n, 2))
      pictures <- lapply(seq_along(some), function(k) {
        lapply(examples[[k]], function(i) views[[i]]$looks[[some[k]]])
      })
      for (k in seq_along(some)) {
        for (i in sample(setdiff(seq_len(n), examples[[k]]), 6)) {
          far <- vapply(
            pictures,
            function(look) {
              core("distance_from_look")(views[[i]]$looks[[some[k]]], look, views[[i]]$own)
            },
            0
          )
          right <- c(right, list(data.frame(look = some[k], right = which.min(far) == k)))
        }
      }
    }

    right <- do.call(rbind, right)
    per <- tapply(right$right, right$look, mean)
    note(
      sprintf("look named of %d, two look pictures (share)", count),
      c("8" = "0.98", "12" = "0.93", "25" = "0.85")[[as.character(count)]],
      mean(right$right),
      min(per),
      names(which.min(per))
    )
  }

  named(8, 40)
  named(12, 30)
  named(25, 15)
  match_of <- function(take, look, reference) {
    core("measure_look_match")()$compute(list(
      take = take,
      look = look,
      reference = reference
    ))$value
  }

  set.seed(2)
  rows <- do.call(
    rbind,
    lapply(looks, function(look) {
      do.call(
        rbind,
        lapply(1:4, function(round) {
          examples <- sample(n, 2)
          pictures <- lapply(examples, function(i) views[[i]]$looks[[look]])
          at <- function(i, what, take) {
            data.frame(look, round, i, what, value = match_of(take, pictures, views[[i]]$own))
          }

          others <- sample(setdiff(seq_len(n), examples), 8)
          blended <- setdiff(seq(1, n, by = 4), examples)
          rbind(
            do.call(rbind, lapply(others, function(i) at(i, "own", views[[i]]$looks[[look]]))),
            do.call(
              rbind,
              lapply(others, function(i) {
                at(i, "stranger", views[[i]]$looks[[sample(setdiff(looks, look), 1)]])
              })
            ),
            do.call(
              rbind,
              lapply(blended, function(i) {
                rbind(
                  at(i, "0", views[[i]]$own),
                  at(i, "0.25", views[[i]]$blends[[look]][[1]]),
                  at(i, "0.5", views[[i]]$blends[[look]][[2]]),
                  at(i, "0.75", views[[i]]$blends[[look]][[3]]),
                  at(i, "1", views[[i]]$looks[[look]])
                )
              })
            )
          )
        })
      )
    })
  )
  own <- rows[rows$what == "own", ]
  medians <- tapply(own$value, own$look, median, na.rm = TRUE)
  note(
    "look_match of a take in the look, median",
    "0.9 (0.7)",
    median(own$value, na.rm = TRUE),
    min(medians),
    names(which.min(medians))
  )
  spreads <- tapply(own$value, own$look, function(x) {
    diff(quantile(x, c(0.1, 0.9), na.rm = TRUE)) / 2
  })
  note(
    "look_match across contents: half of what eight in ten span",
    "0.15",
    median(spreads),
    max(spreads),
    names(which.max(spreads))
  )
  strange <- rows$value[rows$what == "stranger"]
  note(
    "look_match of a stranger's look, median (nine tenths below)",
    "below 0.3",
    median(strange, na.rm = TRUE),
    quantile(strange, 0.9, na.rm = TRUE)
  )
  blends <- rows[rows$what %in% c("0", "0.25", "0.5", "0.75", "1"), ]
  ordered <- vapply(
    split(blends, paste(blends$look, blends$round, blends$i)),
    function(one) all(diff(one$value[order(as.numeric(one$what))]) >= -0.01),
    NA
  )
  note("blends in order (share)", "0.95", mean(ordered, na.rm = TRUE))
  note(
    "a blend half way, median",
    "near 0.5",
    median(blends$value[blends$what == "0.5"], na.rm = TRUE)
  )
  change <- function(a, b) {
    core("style_distance")(a$style, b$style) / core("style_space")$between
  }

  by_look <- do.call(
    rbind,
    lapply(seq_len(n), function(i) {
      data.frame(
        look = looks,
        above = vapply(
          looks,
          function(look) {
            mean(
              change(views[[i]]$looks[[look]], views[[i]]$own) > vapply(
                views[[i]]$changed,
                change,
                0,
                b = views[[i]]$own
              )
            )
          },
          0
        )
      )
    })
  )
  per <- tapply(by_look$above, by_look$look, mean)
  note(
    "style_change: restyles above warps, crops, light and JPEG of their own",
    "0.97",
    mean(by_look$above),
    min(per),
    names(which.min(per))
  )
}

flaws <- c(
  "bars", "blank", "blur", "noise", "unfinished", "blocks", "banding", "burnt", "crushed",
  "local_damage"
)

serious_share <- function(levels) mean(levels == "serious", na.rm = TRUE)

if (wanted("clean")) {
  found <- over(seq_len(nrow(in_looks)), function(i) {
    p <- picture_at(i)
    reference <- reference_of(p)
    decoys <- decoys_of(i, dim(p)[2:1])
    do.call(
      rbind,
      lapply(looks, function(look) {
        take <- in_look_at(i, look)
        levels <- function(known) {
          vapply(
            scored(take, reference, decoys, look = known, only = flaws),
            function(rows) as.character(level_of(rows)),
            ""
          )
        }

        known <- levels(facts_of_look(i, look))
        unknown <- levels(list())
        data.frame(
          look,
          known = any(known == "serious", na.rm = TRUE),
          unknown = any(unknown == "serious", na.rm = TRUE),
          which = toString(c(
            names(which(known == "serious")),
            paste0(names(which(unknown == "serious")), "?")
          ))
        )
      })
    )
  })
  found <- do.call(rbind, found)
  per <- tapply(found$known, found$look, mean)
  note(
    "clean takes with a serious flaw, look pictures known",
    "0.01",
    mean(found$known),
    max(per),
    names(which.max(per))
  )
  per <- tapply(found$unknown, found$look, mean)
  note("  look not known", "0.02", mean(found$unknown), max(per), names(which.max(per)))
  print(sort(table(unlist(strsplit(found$which, ", "))), decreasing = TRUE))
  text <- do.call(
    rbind,
    over(seq_len(nrow(many)), function(i) {
      do.call(
        rbind,
        lapply(c(512, 1024, 2048), function(edge) {
          p <- picture_at(i, many, edge)
          if (max(dim(p)) < edge) {
            return(NULL)
          }

          scene <- core("new_scene")(
            core("view_picture")(p),
            NULL,
            decoys = list(),
            job = "fresh"
          )
          rows <- core("score_scene")(
            scene,
            measures = Filter(function(m) m$measure %in% flaws, core("all_measures")())
          )
          data.frame(
            edge,
            serious = any(rows$level == "serious"),
            which = toString(rows$measure[rows$level == "serious"])
          )
        })
      )
    })
  )
  for (edge in unique(text$edge)) {
    note(
      sprintf("photographs from text with a serious flaw, %d px", edge),
      "0.01",
      mean(text$serious[text$edge == edge])
    )
  }

  compressed <- unlist(over(seq_len(nrow(many)), function(i) {
    p <- picture_at(i, many)
    as.character(
      level_of(
        scored(
          as_jpeg(p, c(75, 85, 92)[1 + i %% 3]),
          reference_of(p),
          list(),
          only = "blocks"
        )$blocks
      )
    )
  }))
  note("JPEG 75 and better called blocks", "0.02", mean(compressed != "none"))
}

if (wanted("flaws")) {
  for (name in names(whole_defects)) {
    one <- whole_defects[[name]]
    if (one$part != part) {
      next
    }

    some <- seq_len(min(36, nrow(many)))
    found <- do.call(
      rbind,
      over(some, function(i) {
        p <- picture_at(i, many)
        reference <- reference_of(p)
        seen <- function(take) scored(take, reference, list(), only = one$flaw)[[one$flaw]]
        strong <- lapply(one$strengths, function(s) seen(one$make(p, s, i)))
        clean <- seen(as_jpeg(p, 90))
        data.frame(
          i,
          rung = c(0, seq_along(one$strengths)),
          value = c(clean$value, vapply(strong, `[[`, 0, "value")),
          level = c(clean$level, vapply(strong, `[[`, "", "level"))
        )
      })
    )
    at <- function(rung) found[found$rung == rung, ]
    per <- vapply(seq_along(one$strengths), function(rung) mean(at(rung)$level != "none"), 0)
    ranks <- vapply(
      split(found, found$i),
      function(own) {
        if (sd(own$value) > 0) {
          abs(cor(own$value, own$rung, method = "spearman"))
        } else {
          0
        }
      },
      0
    )
    note(sprintf("%s: %s found (weakest)", one$flaw, name), "0.95", mean(per), min(per))
    cat(
      sprintf(
        "     serious %s, false %.3f, graded %.2f, AUC %.3f\n",
        toString(
          round(
            vapply(seq_along(one$strengths), function(rung) serious_share(at(rung)$level), 0),
            2
          )
        ),
        mean(at(0)$level != "none"),
        mean(ranks),
        auc(found$value[found$rung > 0], at(0)$value)
      )
    )
  }
}

if (wanted("local")) {
  for (name in names(local_defects)) {
    one <- local_defects[[name]]
    if (one$part != part) {
      next
    }

    found <- do.call(
      rbind,
      over(seq_len(min(36, nrow(in_looks))), function(i) {
        p <- picture_at(i)
        reference <- reference_of(p)
        look <- looks[1 + i %% length(looks)]
        take <- in_look_at(i, look)
        decoys <- list()
        seen <- function(q) {
          scored(q, reference, decoys, look = facts_of_look(i, look), only = one$flaw)[[one$flaw]]
        }

        broken <- lapply(one$strengths, function(s) seen(one$make(take, s, i)))
        plain <- lapply(one$strengths, function(s) seen(one$make(p, s, i)))
        data.frame(
          rung = c(0, 0, rep(seq_along(one$strengths), 2)),
          value = c(
            seen(take)$value,
            seen(as_jpeg(p, 90))$value,
            vapply(c(broken, plain), `[[`, 0, "value")
          )
        )
      })
    )
    note(
      sprintf("local damage: %s (AUC, strongest)", name),
      "0.9",
      auc(found$value[found$rung > 0], found$value[found$rung == 0]),
      auc(found$value[found$rung == max(found$rung)], found$value[found$rung == 0])
    )
  }
}

# An extension to the right by a third, and edits inside an ellipse, as engines do them.
if (wanted("masks")) {
  mask_flaws <- c("bars", "near_copy", "seam", "patch", "repeated", "leak")
  reflected <- function(p, n) {
    p[, ifelse(seq_len(ncol(p)) <= n, seq_len(ncol(p)), 2 * n + 1 - seq_len(ncol(p))), ]
  }

  put <- function(p, columns, by) {
    p[, columns, ] <- by
    p
  }

  shift_of_fill <- list(fit = c(0.08, -0.02, -0.07), report = c(-0.05, 0.06, 0.03))[[part]]
  moved_by <- c(fit = 7, report = 9)[[part]]
  fills <- list(
    as_it_was = function(p, n, other) p,
    left_grey = function(p, n, other) put(p, (n + 1):ncol(p), 0.5),
    smeared = function(p, n, other) put(p, (n + 1):ncol(p), p[, rep(n, ncol(p) - n), ]),
    mirrored = function(p, n, other) reflected(p, n),
    repeated = function(p, n, other) put(p, (n + 1):ncol(p), p[, seq_len(ncol(p) - n), ]),
    blurred = function(p, n, other) {
      put(
        p,
        (n + 1):ncol(p),
        pieces(reflected(p, n), 8)[, (n + 1):ncol(p), ]
      )
    },
    tinted = function(p, n, other) {
      put(
        p,
        (n + 1):ncol(p),
        within01(
          p[, (n + 1):ncol(p), ] +
            rep(shift_of_fill, each = nrow(p) * (ncol(p) - n))
        )
      )
    },
    displaced = function(p, n, other) {
      put(
        p,
        (n + 1):ncol(p),
        p[c(moved_by:nrow(p), rep(nrow(p), moved_by - 1)), (n + 1):ncol(p), ]
      )
    },
    something_else = function(p, n, other) put(p, (n + 1):ncol(p), other[, (n + 1):ncol(p), ])
  )
  some <- seq_len(min(48, nrow(many)))
  found <- do.call(
    rbind,
    over(some, function(i) {
      p <- picture_at(i, many)
      if (i %% 2 == 1) {
        p <- aperm(p, c(2, 1, 3))
      }

      n <- round(0.75 * ncol(p))
      reference <- reference_of(put(p, (n + 1):ncol(p), 0.5))
      mask <- core("resize_map")(1 * (col(p[, , 1]) > n), reference$working)
      other <- fitted(picture_at(after(i, 1, nrow(many)), many), dim(p)[2:1])
      do.call(
        rbind,
        lapply(names(fills), function(fill) {
          take <- as_jpeg(fills[[fill]](p, n, other), 92)
          levels <- vapply(
            scored(take, reference, list(), mask = mask, job = "extend", only = mask_flaws),
            function(rows) as.character(level_of(rows)),
            ""
          )
          data.frame(
            fill,
            said = any(levels != "none", na.rm = TRUE),
            serious = any(levels == "serious", na.rm = TRUE),
            which = toString(names(which(levels != "none")))
          )
        })
      )
    })
  )
  for (fill in names(fills)) {
    own <- found[found$fill == fill, ]
    note(
      paste("extend:", fill, "called flawed (serious)"),
      if (fill == "as_it_was") "0" else "0.95",
      mean(own$said),
      mean(own$serious)
    )
    cat("    ", toString(sprintf("%s %d", names(table(own$which)), table(own$which))), "\n")
  }

  found <- do.call(
    rbind,
    over(some, function(i) {
      p <- picture_at(i, many)
      inside <- edit_mask(p, part)
      # The reference has something else well inside the mask; the edit that is asked for
      # leads back to the photograph, whose own continuation is what a good edit comes to.
      core_of_it <- c(
        core("core_blur")(
          1 * (core("core_blur")(inside, 0.06 * min(dim(p)[1:2])) > 0.75),
          3
        )
      )
      other <- fitted(picture_at(after(i, 3, nrow(many)), many), dim(p)[2:1])
      before <- p * (1 - core_of_it) + other * core_of_it
      reference <- reference_of(as_jpeg(before, 95))
      mask <- core("resize_map")(inside, reference$working)
      do.call(
        rbind,
        lapply(names(edits_of(part)), function(edit) {
          take <- if (edit == "copied") {
            before
          } else {
            within01(edits_of(part)[[edit]](p, inside, i))
          }
          dim(take) <- dim(p)
          scores <- scored(
            as_jpeg(take, 92),
            reference,
            list(),
            mask = mask,
            job = "edit",
            only = mask_flaws
          )
          levels <- vapply(scores, function(rows) as.character(level_of(rows)), "")
          data.frame(
            edit,
            said = any(levels != "none", na.rm = TRUE),
            serious = any(levels == "serious", na.rm = TRUE),
            which = toString(names(which(levels != "none")))
          )
        })
      )
    })
  )
  for (edit in names(edits_of(part))) {
    own <- found[found$edit == edit, ]
    note(
      paste("edit:", edit, "called flawed (serious)"),
      if (edit == "well_done") "0" else "0.9",
      mean(own$said),
      mean(own$serious)
    )
    cat("    ", toString(sprintf("%s %d", names(table(own$which)), table(own$which))), "\n")
  }
}

# Repairs of worn photographs; four takes a case say together what damage is.
if (wanted("repair")) {
  some <- seq_len(min(40, nrow(many)))
  found <- do.call(
    rbind,
    over(some, function(i) {
      p <- picture_at(i, many)
      kinds <- if (part == "fit") {
        c("scratches", "specks", "fading")
      } else {
        c("scratches", "specks", "folds", "stains", "fading")
      }
      worn <- worn_photograph(p, i, kinds)
      reference <- reference_of(worn)
      bits <- function(take) {
        core("core_marks_that_stayed")(
          view(as_jpeg(take, 92), reference$own)$handle,
          reference$handle
        )
      }

      mended <- function(share) {
        # From the top down, as far as the share says.
        q <- p
        rows <- seq_len(nrow(p)) > share * nrow(p)
        q[rows, , ] <- worn[rows, , ]
        q
      }

      dark <- p
      scratched <- rowSums(
        abs(worn - worn_photograph(p, i, setdiff(kinds, c("scratches", "specks", "folds")))),
        dims = 2
      ) > 0.3
      dark[rep(scratched, 3)] <- 0.06
      stayed <- do.call(
        rbind,
        lapply(list(p, mended(0.75), mended(0.5), mended(0.25), worn, dark), bits)
      )
      left <- core("damage_left")(stayed)
      if (is.null(left)) {
        return(NULL)
      }

      # Good repairs as engines redraw them, and one that took a part of the picture with it.
      erased <- function(take) {
        good <- lapply(list(take, pieces(p, 0.5), within01(p * 1.08), mended(0.9)), bits)
        good <- do.call(rbind, good)
        core("measure_erased")()$compute(
          good,
          core("core_places_of_marks")(reference$handle),
          core("damage_left")(good)
        )[[1]]$level
      }

      with_loss <- spotted(
        p,
        function(q) pieces(q, c(fit = 9, report = 12)[[part]]),
        if (part == "fit") 0.5 else 0.62
      )
      dim(with_loss) <- dim(p)
      data.frame(
        i,
        take = c("true", "0.75", "0.5", "0.25", "none", "dark"),
        left,
        erased = c(erased(with_loss), erased(p), rep(NA, 4)),
        what = c("erased", "kept", rep(NA, 4))
      )
    })
  )
  left <- split(found$left, found$take)
  note("repair: the true photograph called serious", "0", mean(left$true >= 0.42))
  lost <- split(found$erased, found$what)
  note(
    "repair: a part of the picture erased too, called flawed (serious)",
    "0.9",
    mean(lost$erased != "none"),
    mean(lost$erased == "serious")
  )
  note(
    "repair: the true photograph called to have erased anything",
    "0",
    mean(lost$kept != "none"),
    mean(lost$kept == "serious")
  )
  note("repair: all damage left called serious", "1", mean(left$none >= 0.42))
  note("repair: scratches redrawn in black called serious", "1", mean(left$dark >= 0.42))
  ladder <- found[found$take != "dark", ]
  ranks <- vapply(
    split(ladder, ladder$i),
    function(one) cor(one$left, c(0, 0.25, 0.5, 0.75, 1), method = "spearman"),
    0
  )
  note("repair: what is left graded (rank correlation)", "0.95", mean(ranks), min(ranks))
}

if (wanted("probes")) {
  number <- function(p) {
    p <- fitted(
      p,
      pmax(1, round(dim(p)[2:1] * 256 / max(dim(p)[1:2])))
    )
    lab <- matrix(
      core("core_oklab")(p, ncol(p), nrow(p)),
      ncol = 3,
      dimnames = list(NULL, c("L", "a", "b"))
    )
    max(0, (mean(core("in_one_hue")(lab) & core("follows_lightness")(lab)) - 0.9) / 0.1)
  }

  coloured <- unlist(over(seq_len(nrow(many)), function(i) {
    p <- picture_at(i, many)
    # Grey photographs are no coloured ones.
    if (mean(
      abs(p[, , 1] - p[, , 2]) + abs(p[, , 2] - p[, , 3])
    ) < 0.02) {
      NA
    } else {
      number(p)
    }
  }))
  note(
    "monochrome of coloured photographs",
    "below 0.1",
    mean(coloured, na.rm = TRUE),
    mean(coloured > 0.5, na.rm = TRUE),
    "above a half"
  )
  tinted <- if (part == "fit") c("grey", "sepia") else c("graphite", "blueprint")
  note(
    "monochrome of one tint",
    "1",
    mean(
      unlist(over(seq(1, nrow(in_looks), by = 2), function(i) {
        vapply(tinted, function(look) number(in_look_at(i, look)), 0)
      }))
    )
  )
}

if (wanted("probes")) {
  # What one person said who looked at them: bench/natural/colours.csv.
  said <- utils::read.csv("bench/natural/colours.csv")
  said <- said[said$part == part, ]
  at <- match(said$photograph, many$file)
  seen <- unlist(over(seq_along(at), function(k) {
    p <- picture_at(at[k], many, 256)
    lab <- matrix(
      core("core_oklab")(p, ncol(p), nrow(p)),
      ncol = 3,
      dimnames = list(NULL, c("L", "a", "b"))
    )
    mean(core("colour_membership")(lab, said$colour[k]))
  }))
  far <- abs(seen - said$share)
  note(
    "colours within 0.15 of a person's estimate (share; worst)",
    "0.85",
    mean(far <= 0.15),
    max(far),
    paste(said$colour, basename(said$photograph))[which.max(far)]
  )
}

if (part == "report") {
  new <- do.call(rbind, facts)
  kept <- "bench/natural.csv"
  old <- if (file.exists(kept)) utils::read.csv(kept)
  utils::write.csv(rbind(old[!old$question %in% new$question, ], new), kept, row.names = FALSE)
}

cat(
  sprintf(
    "\n%d photographs, %d of them in %d looks; %.1f minutes\n",
    nrow(many),
    nrow(in_looks),
    length(looks),
    as.numeric(Sys.time() - began, units = "mins")
  )
)
