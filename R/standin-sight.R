# How the stand-in judges see: a small fitted model, over the picture and over parts of it.

# The model's findings: `tile` (a probability for each), `small` (a row for each small thing:
# what, where, how sure), `sky`, `light`, `marks` (scratches, lettering, frame).
see_picture <- function(picture) {
  # Both judges are shown the same pictures, one after the other. Two pictures don't share all
  # the sums of their rows and columns, and hashing those is quicker than hashing every pixel.
  key <- rlang::hash(list(rowSums(picture), colSums(picture)))
  judge_memory$recall(key, run_model(picture, judge_memory$model()))
}

run_model <- function(picture, model) {
  facts <- sight_facts(picture)
  tile <- run_net(model$tile, facts$scene)[1, ]
  list(
    tile = stats::setNames(tile, tile_names()),
    small = find_small_things(picture, model$small, facts$light),
    sky = sky_odds(facts$sky, model$sky),
    light = stats::setNames(
      run_net(model$light, facts$light)[1, ],
      c("plain", names(light_words()))
    ),
    marks = c(
      scratches = run_net(model$scratches, facts$wear)[1, 1],
      lettering = run_net(model$lettering, facts$low)[1, 1],
      frame = run_net(model$frame, facts$rim)[1, 1]
    )
  )
}

# A net of one hidden layer: rows of facts in, probabilities out.
run_net <- function(net, facts) {
  facts <- matrix(facts, ncol = length(net$centre))
  # Facts are centred and scaled within the weights, which is quicker.
  first <- net$first[-1, , drop = FALSE] / net$spread
  lift <- net$first[1, ] - colSums(first * net$centre)
  hidden <- 1 / (1 + exp(-(facts %*% first + rep(lift, each = nrow(facts)))))
  out <- hidden %*% net$second[-1, , drop = FALSE] + rep(net$second[1, ], each = nrow(facts))
  if (ncol(out) == 1) {
    return(1 / (1 + exp(-out)))
  }

  odds <- exp(out - do.call(pmax, lapply(seq_len(ncol(out)), function(k) out[, k])))
  odds / rowSums(odds)
}

# The features of a picture, for each question its own.
sight_facts <- function(picture) {
  small <- resample_picture(picture, 64, 96)
  light <- luminance(small)
  middle <- resample_picture(picture, 192, 288)
  tones <- luminance(middle)
  ridges <- ridge_share(tones)
  sky <- matrix(small[2:18, , ], ncol = 3)
  list(
    scene = scene_facts(small),
    sky = apply(sky, 2, stats::median),
    light = c(
      stats::quantile(light, c(0.05, 0.25, 0.5, 0.75, 0.95), names = FALSE),
      rowMeans(light[c(8, 24, 40, 56), ]),
      colMeans(matrix(small, ncol = 3)),
      stats::sd(light)
    ),
    wear = c(ridges, mean(abs(tones - soften(tones, 3))), stats::sd(tones)),
    low = c(low_facts(tones), ridges),
    rim = rim_facts(small)
  )
}

# Thin marks lighter and darker than both their sides, by direction.
ridge_share <- function(light) {
  rows <- nrow(light)
  columns <- ncol(light)
  beside <- function(down, right) {
    light[
      pmin(rows, pmax(1, seq_len(rows) + down)),
      pmin(columns, pmax(1, seq_len(columns) + right))
    ]
  }

  unlist(lapply(list(c(0, 3), c(3, 0)), function(way) {
    a <- beside(way[1], way[2])
    b <- beside(-way[1], -way[2])
    c(
      mean(light - pmax(a, b) > 0.05),
      mean(pmin(a, b) - light > 0.05),
      mean(light - pmax(a, b) > 0.15)
    )
  }))
}

# The board at the foot of a picture: lightness and detail of cells there.
low_facts <- function(tones) {
  foot <- tones[round(nrow(tones) * 0.76):round(nrow(tones) * 0.98), ]
  across <- abs(foot[, -1] - foot[, -ncol(foot)])
  c(resize_plane(foot, 4, 12) - mean(tones), resize_plane(across, 4, 12))
}

# The outermost pixels against what follows inside, at each side.
rim_facts <- function(small) {
  rows <- nrow(small)
  columns <- ncol(small)
  strips <- list(
    small[1:2, , ],
    small[rows - 0:1, , ],
    aperm(small[, 1:2, ], c(2, 1, 3)),
    aperm(small[, columns - 0:1, ], c(2, 1, 3))
  )
  inner <- list(
    small[7:8, , ],
    small[rows - 7:8, , ],
    aperm(small[, 7:8, ], c(2, 1, 3)),
    aperm(small[, columns - 7:8, ], c(2, 1, 3))
  )
  colours <- lapply(strips, function(strip) apply(strip, 3, mean))
  c(
    vapply(strips, function(strip) mean(apply(strip, 3, stats::sd)), 0),
    mapply(
      function(strip, within) sqrt(sum((apply(strip, 3, mean) - apply(within, 3, mean))^2)),
      strips,
      inner
    ),
    sqrt(sum((colours[[1]] - colours[[2]])^2)),
    sqrt(sum((colours[[3]] - colours[[4]])^2)),
    sqrt(sum((colours[[1]] - colours[[3]])^2))
  )
}

# How likely each colour of the paint box is for the sky: the nearer, the likelier, by a
# reach that was fitted for each.
sky_odds <- function(sky, reach) {
  box <- grDevices::col2rgb(paint_box()) / 255
  distance <- sqrt(colSums(((box - sky) * c(1.2, 1.4, 1))^2))
  1 / (1 + exp((distance - reach["at", ]) / reach["width", ]))
}

# Small things are looked for twice: by a net that is moved over the picture, in a grid of
# cells of which 48 make its height, and where that net takes something for possible by a
# second one, in a grid twice as fine. What they see at a time are so many cells.
thing_window <- c(rows = 11, columns = 9)

close_window <- c(rows = 21, columns = 21)

# Where a thing is seen best it is one, and nothing beside it; `sure` is how often such a
# sight was right in drawings.
find_small_things <- function(picture, nets, light) {
  places <- closer_look(picture, nets, light)
  found <- lapply(seq_along(small_things), function(k) {
    best <- sights_of(places$odds[, k], places)
    sure <- 1 / (1 + exp(-(nets$sure[1, k] + nets$sure[2, k] * best$odds)))
    data.frame(thing = rep(small_things[k], nrow(best)), x = best$x, y = best$y, sure = sure)
  })
  found <- do.call(rbind, found)
  found[found$sure > 0.03, ]
}

# The places that the first net takes for possible, or those around the places `at`, as the
# second net sees them: `odds` are logarithms, a column for each thing, `facts` what it saw.
closer_look <- function(picture, nets, light, at = NULL) {
  planes <- thing_planes(picture)
  places <- if (is.null(at)) {
    possible_cells(planes, nets$far)
  } else {
    look_over(planes, nets$far, cells_of(planes, at))
  }
  x <- (places$left + thing_window[["columns"]] / 2 - 1 - planes$pad) / planes$columns
  y <- (places$top + thing_window[["rows"]] / 2 - 1 - planes$pad) / planes$rows
  seen <- as.matrix(places[-(1:2)])
  facts <- cbind(
    close_facts(picture, x, y),
    log(seen + 1e-4),
    matrix(light, nrow(seen), length(light), byrow = TRUE)
  )
  list(
    x = x,
    y = y,
    aspect = planes$columns / planes$rows,
    facts = facts,
    odds = if (!is.null(nets$near)) odds_of(run_net(nets$near, facts))
  )
}

# Every second cell is glanced at, then those around any where something might be: a thing is
# larger than two cells, so none is lost and three quarters of the glances are saved.
possible_cells <- function(planes, far) {
  last <- dim(planes$tones) - thing_window + 1
  coarse <- look_over(
    planes,
    far,
    expand.grid(top = seq(1, last[1], 2), left = seq(1, last[2], 2))
  )
  promising <- coarse[likeliest(coarse) > 0.01, ]
  around <- expand.grid(down = -1:1, right = -1:1)[-5, ]
  beside <- unique(data.frame(
    top = pmin(last[1], pmax(1, outer(around$down, promising$top, `+`))),
    left = pmin(last[2], pmax(1, outer(around$right, promising$left, `+`)))
  ))
  beside <- beside[beside$top %% 2 == 0 | beside$left %% 2 == 0, ]
  all <- rbind(coarse, look_over(planes, far, beside))
  best <- likeliest(all)
  all[utils::head(order(-best), max(1, min(200, sum(best > 0.06)))), ]
}

likeliest <- function(seen) do.call(pmax, unname(seen[small_things]))

# The first network's output for cells: a row each, with a probability for nothing and for each
# thing.
look_over <- function(planes, far, cells) {
  seen <- run_net(far, window_facts(planes, cells))
  colnames(seen) <- c("none", small_things)
  cbind(cells, seen)
}

# Each thing against all else.
odds_of <- function(seen) {
  log(seen[, -1, drop = FALSE] + 1e-9) - log(1 - seen[, -1, drop = FALSE] + 1e-9)
}

# The places where one is likelier than not, the best of each neighbourhood.
sights_of <- function(odds, places) {
  open <- odds > -1.5
  at <- integer()
  while (any(open)) {
    best <- which.max(ifelse(open, odds, -Inf))
    at <- c(at, best)
    open <- open &
      (abs(places$x - places$x[best]) * places$aspect > 0.09 |
        abs(places$y - places$y[best]) > 0.12)
  }

  data.frame(x = places$x[at], y = places$y[at], odds = odds[at])
}

small_things <- c("kite", "moon", "gull", "pine")

# The first network's input: planes of cells, with a margin of `pad` repeated ones.
thing_planes <- function(picture) {
  rows <- 48
  columns <- max(24, round(rows * dim(picture)[2] / dim(picture)[1]))
  fine <- resample_picture(picture, 2 * rows, 2 * columns)
  pad <- 5
  cells <- function(plane) edged(resize_plane(plane, rows, columns), pad)
  light <- luminance(fine)
  across <- light[, c(2:(2 * columns), 2 * columns)] - light
  down <- light[c(2:(2 * rows), 2 * rows), ] - light
  list(
    rows = rows,
    columns = columns,
    pad = pad,
    tones = cells(light),
    runs = lapply(
      list(abs(across), abs(down), pmax(across * down, 0), pmax(-across * down, 0)),
      function(map) soften(cells(sqrt(abs(map))), 2)
    ),
    colours = list(
      cells(fine[, , 1] - fine[, , 3]),
      cells(fine[, , 2] - 0.5 * (fine[, , 1] + fine[, , 3]))
    )
  )
}

# The cells whose windows have the places `at` (shares, y from the top) in their middle.
cells_of <- function(planes, at) {
  last <- dim(planes$tones) - thing_window + 1
  data.frame(
    top = pmin(
      last[1],
      pmax(1, round(at$y * planes$rows + planes$pad - thing_window[["rows"]] / 2 + 1))
    ),
    left = pmin(
      last[2],
      pmax(1, round(at$x * planes$columns + planes$pad - thing_window[["columns"]] / 2 + 1))
    )
  )
}

# A row of facts for each window, given by its first cell.
window_facts <- function(planes, cells) {
  look_at <- function(planes, first, step, centred) {
    draw_windows(
      planes,
      cells$top,
      cells$left,
      thing_window[["rows"]],
      thing_window[["columns"]],
      first,
      step,
      centred
    )
  }

  seen <- look_at(list(planes$tones), 1, 1, TRUE)
  spread <- sqrt(rowMeans(seen^2)) + 0.03
  cbind(
    seen / spread,
    look_at(planes$runs, 2, 2, FALSE) / sqrt(spread),
    look_at(planes$colours, 2, 2, TRUE),
    log(spread)
  )
}

# A plane with its outermost cells repeated `pad` times on each side.
edged <- function(plane, pad) {
  plane[
    pmin(nrow(plane), pmax(1, seq_len(nrow(plane) + 2 * pad) - pad)),
    pmin(ncol(plane), pmax(1, seq_len(ncol(plane) + 2 * pad) - pad))
  ]
}

# The surroundings of each of the places (shares, y from the top), in a grid twice as fine: a row
# of features each.
close_facts <- function(picture, x, y) {
  rows <- 96
  columns <- max(48, round(rows * dim(picture)[2] / dim(picture)[1]))
  pad <- 12
  fine <- resample_picture(picture, rows, columns)
  light <- luminance(fine)
  across <- abs(light[, c(2:columns, columns)] - light[, c(1, seq_len(columns - 1))])
  down <- abs(light[c(2:rows, rows), ] - light[c(1, seq_len(rows - 1)), ])
  top <- round(y * rows + 0.5) + pad - (close_window[["rows"]] - 1) / 2
  left <- round(x * columns + 0.5) + pad - (close_window[["columns"]] - 1) / 2
  look_at <- function(planes, step, centred = FALSE) {
    draw_windows(
      lapply(planes, edged, pad),
      top,
      left,
      close_window[["rows"]],
      close_window[["columns"]],
      1,
      step,
      centred
    )
  }

  seen <- look_at(list(light), 1, centred = TRUE)
  spread <- sqrt(rowMeans(seen^2)) + 0.03
  colours <- list(
    fine[, , 1] - fine[, , 3],
    fine[, , 2] - 0.5 * (fine[, , 1] + fine[, , 3])
  )
  cbind(
    seen / spread,
    look_at(list(soften(across, 1), soften(down, 1)), 2) / spread,
    look_at(lapply(colours, soften, 1.5), 3, centred = TRUE),
    log(spread)
  )
}

# The model, which is read once, the pictures that were seen last, and the turn of the space in
# which they are embedded.
judge_memory <- R6::R6Class(
  "sprenn_judge_memory",
  public = list(
    model = function() {
      if (is.null(private$read)) {
        private$read <- readRDS(system.file("standins", "judge.rds", package = "sprenn"))
      }

      private$read
    },

    # A rotation of `n` dimensions into 64.
    turn = function(n) {
      if (!identical(ncol(private$turned), as.integer(n))) {
        private$turned <- with_drawing_seed(12, qr.Q(qr(matrix(stats::rnorm(64 * n), 64))))
      }

      private$turned
    },

    # Sees by another model, which is being fitted.
    use = function(model) private$read <- model,

    recall = function(key, code) {
      if (is.null(private$seen[[key]])) {
        private$seen <- utils::tail(private$seen, 2000)
        private$seen[[key]] <- code
      }

      private$seen[[key]]
    }
  ),
  private = list(read = NULL, turned = NULL, seen = list())
)$new()
