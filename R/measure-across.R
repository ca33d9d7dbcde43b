# Measures that compare takes with each other.

measure_consistency <- function() {
  new_measure(
    "consistency",
    "style",
    range = "1 the same hand, 0 as far apart as two looks are",
    better = "as asked",
    sees = "how near a take's manner is to the middle of its pipeline's takes for the same look",
    blind_to = "what is shown and where; which look was asked for",
    formula = "1 - |p - mean of the others' p| / d, p the position in the style space",
    source = "distance from the mean of the pipeline's other takes in the style space",
    cost = "none",
    compute = function(prints) {
      positions <- prints$position
      if (nrow(positions) < 2) {
        return(rep(NA_real_, nrow(positions)))
      }

      others <- sweep(-positions, 2, colSums(positions), `+`) / (nrow(positions) - 1)
      1 - sqrt(rowSums((positions - others)^2)) / style_space$between
    }
  )
}

measure_same_as_seed <- function() {
  new_measure(
    "same_as_seed",
    "flaws",
    range = "0 the same as another seed's, about 0.1 and up another picture",
    better = "higher",
    sees = paste0(
      "that the seed made no difference: a near copy of another seed of the case; not taken ",
      "where the picture is to stay"
    ),
    blind_to = "what is smaller than a twelfth of the picture",
    formula = "min over other seeds of mean |a - b| over patches, in OKLab",
    source = "mean OKLab difference of 12 x 8 patches, to the nearest of the other seeds",
    cost = "none",
    compute = function(prints) {
      patches <- prints$patches
      if (nrow(patches) < 2) {
        return(rep(NA_real_, nrow(patches)))
      }

      each <- ncol(patches) / 3
      vapply(
        seq_len(nrow(patches)),
        function(i) {
          squares <- sweep(patches[-i, , drop = FALSE], 2, patches[i, ])^2
          in_channel <- function(k) squares[, k * each + seq_len(each), drop = FALSE]
          min(rowMeans(sqrt(in_channel(0) + in_channel(1) + in_channel(2))))
        },
        0
      )
    }
  )
}

# Of a case's repairs together: what one of them took away and the others kept.
measure_erased <- function() {
  new_measure(
    "erased",
    "flaws",
    range = "0 nothing, 1 all marks of one part (share, less three times that of the rest)",
    better = "lower",
    sees = "that a repair took away a part of the picture itself: eyes, a mouth, lettering",
    blind_to = paste(
      "broad shapes; what all repairs of the case took away;",
      "cases with fewer than two other good repairs"
    ),
    formula = "share of marks lost in the worst part - 3 times the share lost elsewhere",
    source = paste(
      "marks of up to 9 px of 512, in a sixth of the frame each way,",
      "that three quarters of the other good repairs kept"
    ),
    cost = "none",
    compute = function(stayed, places, left) {
      mended <- left < damage_plainly_left
      lapply(seq_len(nrow(stayed)), function(i) {
        witnesses <- setdiff(which(mended), i)
        if (length(witnesses) < 2) {
          return(new_scores(NA_real_, NA_real_, "none"))
        }

        kept <- colMeans(stayed[witnesses, , drop = FALSE]) >= 0.75
        own <- marks_by_part(places[kept, , drop = FALSE])
        lost <- marks_by_part(places[kept & !stayed[i, ], , drop = FALSE])
        share <- ifelse(own$inside >= fewest_in_part, lost$inside / own$inside, 0)
        worst <- which.max(share)
        # A take that is softer everywhere loses marks everywhere.
        rest <- (lost$all - lost$inside[worst]) / max(1, own$all - own$inside[worst])
        number <- max(0, share[worst] - 3 * rest)
        flaw_score(number, erased_bounds, place = say_box(own$box[worst, ]), raw = share[worst])
      })
    }
  )
}

fewest_in_part <- 25

# The numbers from which a repair has slightly and seriously erased something, set on the `fit`
# half of bench/natural.R.
erased_bounds <- c(slight = 0.3, serious = 0.5)

# From this share of the damage on, a repair has plainly left it.
damage_plainly_left <- 0.42

# How many marks (their places in shares of the frame) lie in each of 11 x 11 parts that
# overlap by half, with the parts as boxes.
marks_by_part <- function(places) {
  n <- 12
  # Places are the middles of pixels, so that none is 1.
  cell <- floor(places * n)
  counts <- matrix(tabulate(cell[, 2] * n + cell[, 1] + 1, n * n), n)
  inside <- counts[-1, -1] +
    counts[-n, -1] +
    counts[-1, -n] +
    counts[-n, -n]
  at <- expand.grid(x = seq_len(n - 1) - 1, y = seq_len(n - 1) - 1) / n
  list(inside = c(inside), all = sum(counts), box = as.matrix(cbind(at, at + 2 / n)))
}
