# Two runs of one suite: which pipelines changed, and by how much, beyond the noise.

# The number of random sign changes, and the detection rate for which `seen` is stated.
sign_rounds <- 1999L
surely_seen <- 0.9

# `old` and `new` are axis tables with `worth`, `keeper`, `picture` (its hash) and `request` (its
# text). Takes of the same pipeline, case and seed are compared. The question is whether anything
# has changed for these cases, not for others like them, so every take counts as independent.
# Returns a list: `scores`, a row for each pipeline and score with `old`, `new`, `change`, a
# simultaneous interval at `level`, `changed`, and `seen`, the smallest change that nine in ten
# such comparisons would have detected; `pictures`, a row a pipeline: `asked_alike`, how many
# takes had the same request, and `other`, how many of those gave another picture; `takes`, those
# that have changed.
run_changes <- function(old, new, level = 0.95, seed = 1L) {
  key <- function(table) paste(table$pipeline, table$case, table$seed, sep = "\r")
  at <- match(key(new), key(old))
  both <- !is.na(at) &
    new$state != "planned" &
    old$state[at] %in% c("made", "failed", "refused")
  new <- new[both, ]
  old <- old[at[both], ]
  list(
    scores = score_changes(old, new, level, seed),
    pictures = picture_changes(old, new),
    takes = take_changes(old, new)
  )
}

# Each take whose picture is another one, or was made in one run only, the most changed first:
# `moved` is its largest change of worth or of an axis. `old` and `new` have the same takes.
take_changes <- function(old, new) {
  columns <- c("state", "picture", axes, "worth", "keeper", "flaws")
  of <- function(table, which) {
    stats::setNames(table[columns], paste(which, columns, sep = "_"))
  }
  moved <- lapply(c(axes, "worth"), function(column) abs(new[[column]] - old[[column]]))
  takes <- new_table(
    new[c("pipeline", "case", "seed")],
    moved = do.call(pmax, c(moved, list(rep(0, nrow(new)), na.rm = TRUE))),
    of(old, "old"),
    of(new, "new")
  )
  made <- cbind(old$state == "made", new$state == "made")
  other <- rowSums(made) == 1 |
    (rowSums(made) == 2 & (old$picture != new$picture) %in% TRUE)
  takes <- takes[other, ]
  as_table(takes[order(-takes$moved, takes$pipeline, takes$case, takes$seed), ])
}

# If nothing has changed, each take's difference might as well have had the other sign (Fisher
# 1935). So signs are drawn at random, the same for all scores of a take, and a change is reported
# only if it exceeds the largest over all pipelines and scores (Westfall and Young 1993). This is
# exact for any distribution, keepers included; with few takes nothing can be significant. `reach`
# is the factor by which the sum of differences has to exceed the root of their sum of squares;
# solving for the mean gives the interval.
score_changes <- function(old, new, level, seed) {
  columns <- c(axes, "worth", "keeper")
  differences <- lapply(columns, function(column) {
    as.numeric(new[[column]]) - as.numeric(old[[column]])
  })
  differences <- do.call(cbind, differences)
  colnames(differences) <- columns
  own <- split(seq_len(nrow(new)), factor(new$pipeline, unique(new$pipeline)))
  reach <- reach_of_signs(
    lapply(own, function(rows) differences[rows, , drop = FALSE]),
    level,
    seed
  )
  rows <- lapply(names(own), function(pipeline) {
    at <- own[[pipeline]]
    alike <- identical(old$picture[at], new$picture[at])
    found <- lapply(columns, function(column) {
      by <- differences[at, column]
      known <- at[!is.na(by)]
      if (length(known)) {
        by <- by[!is.na(by)]
        n <- length(by)
        new_table(
          pipeline = pipeline,
          score = column,
          old = mean(as.numeric(old[[column]][known])),
          new = mean(as.numeric(new[[column]][known])),
          change = mean(by),
          takes = n,
          spread = sqrt(mean((by - mean(by))^2)),
          # That no keeper was lost among so few does not mean that none ever is.
          least = if (alike) {
            0
          } else if (column == "keeper") {
            sqrt((sum(by != 0) + 1) / (n + 1))
          } else {
            NA_real_
          }
        )
      }
    })
    do.call(rbind, found)
  })
  none <- new_table(
    pipeline = character(),
    score = character(),
    old = numeric(),
    new = numeric(),
    change = numeric(),
    takes = integer(),
    spread = numeric(),
    least = numeric()
  )
  rows <- do.call(rbind, c(list(none), rows))
  told <- function(spread, reach) {
    ifelse(
      rows$takes > reach^2 + 1e-6,
      reach * spread / sqrt(pmax(rows$takes - reach^2, 1e-9)),
      Inf
    )
  }

  half <- ifelse(rows$change == 0 & rows$spread == 0, 0, told(rows$spread, reach))
  usual <- tapply(rows$spread, rows$score, function(all) {
    if (any(all > 0)) {
      stats::median(all[all > 0])
    } else {
      0
    }
  })
  spread <- pmax(rows$spread, ifelse(is.na(rows$least), usual[rows$score], rows$least))
  # The spread of another comparison would differ, the more so with few takes.
  free <- pmax(1, rows$takes - 1)
  spread <- spread * sqrt(free / stats::qchisq(0.2, free))
  seen <- told(spread, max(reach, stats::qnorm((1 + level) / 2))) +
    stats::qnorm(surely_seen) * spread / sqrt(rows$takes)
  # With so few takes no pattern of signs is significant.
  seen[2^(1 - rows$takes) > 1 - level] <- NA
  seen[rows$least %in% 0] <- 0
  new_table(
    rows[c("pipeline", "score", "old", "new", "change")],
    low = pmax(-1, rows$change - half),
    high = pmin(1, rows$change + half),
    takes = rows$takes,
    changed = abs(rows$change) > half + 1e-9,
    seen = unname(ifelse(seen > 1, NA_real_, seen))
  )
}

# `differences` has a matrix takes x scores for each pipeline.
reach_of_signs <- function(differences, level, seed) {
  differences <- lapply(differences, function(own) replace(own, is.na(own), 0))
  most <- min(most_signs, max(0, vapply(differences, nrow, 0L)))
  signs <- matrix(2 * (core_uniform(sign_rounds * most, seed) < 0.5) - 1, sign_rounds)
  largest <- rep(0, sign_rounds)
  for (k in seq_along(differences)) {
    own <- differences[[k]][, colSums(differences[[k]]^2) > 0, drop = FALSE]
    if (ncol(own)) {
      # Pipelines vary independently: each takes the rounds in another order.
      order <- (seq_len(sign_rounds) + 37 * k) %% sign_rounds + 1
      sums <- signs[order, seq_len(min(most, nrow(own))), drop = FALSE] %*% few_rows(own, most)
      largest <- pmax(
        largest,
        apply(abs(sums) / rep(sqrt(colSums(own^2)), each = sign_rounds), 1, max)
      )
    }
  }

  stats::quantile(largest, level, type = 1, names = FALSE)
}

# With more takes than this the sum of signed differences is practically normal; fewer rows with
# the same covariance give the same result.
most_signs <- 500L

few_rows <- function(differences, most) {
  if (nrow(differences) <= most) {
    return(differences)
  }

  turned <- eigen(crossprod(differences), symmetric = TRUE)
  root <- sqrt(pmax(turned$values, 0)) * t(turned$vectors)
  each <- most %/% nrow(root)
  spread_out <- root[rep(seq_len(nrow(root)), each), , drop = FALSE] / sqrt(each)
  rbind(spread_out, matrix(0, most - nrow(spread_out), ncol(root)))
}

picture_changes <- function(old, new) {
  made <- old$state == "made" & new$state == "made"
  alike <- made & !is.na(old$request) & old$request == new$request
  count <- function(which) as.integer(table(factor(new$pipeline[which], unique(new$pipeline))))
  new_table(
    pipeline = unique(new$pipeline),
    takes = count(rep(TRUE, nrow(new))),
    same = count(
      if (nrow(new)) {
        old$state == new$state & (!made | old$picture == new$picture)
      } else {
        logical()
      }
    ),
    asked_alike = count(alike),
    other = count(alike & old$picture != new$picture),
    lost = count(old$state == "made" & new$state != "made"),
    gained = count(old$state != "made" & new$state == "made")
  )
}
