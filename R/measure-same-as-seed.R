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
