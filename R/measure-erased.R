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
        # What is softer all over loses marks everywhere.
        rest <- (lost$all - lost$inside[worst]) / max(1, own$all - own$inside[worst])
        number <- max(0, share[worst] - 3 * rest)
        flaw_score(number, 0.3, 0.5, place = say_box(own$box[worst, ]), raw = share[worst])
      })
    }
  )
}

fewest_in_part <- 25

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
