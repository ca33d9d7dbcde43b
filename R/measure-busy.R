measure_busy <- function() {
  new_probe(
    "busy",
    "share of the place with detail, 0 plain to 1 detail everywhere",
    sees = paste0(
      "how much of a place has detail: lightness that changes from one pixel to the next at a ",
      "long edge of 256"
    ),
    blind_to = "what the detail is, colour, fine grain",
    source = "lightness differences, OKLab (Ottosson 2020)",
    look_at = function(seen, probe) {
      size <- dim(seen$inside)[2:1]
      # Grain and noise are finer than this.
      small <- as.integer(pmax(1, round(size * min(1, 256 / max(size)))))
      step <- steps_of(resize_map(seen$oklab[, , 1], small))
      counted <- resize_map((step > 0.03) + 0, size)[seen$inside]
      list(number = mean(counted), counted = counted)
    }
  )
}

# By how much each value differs from its neighbours to the right and below.
steps_of <- function(values) {
  right <- values[, c(seq_len(ncol(values))[-1], ncol(values)), drop = FALSE]
  below <- values[c(seq_len(nrow(values))[-1], nrow(values)), , drop = FALSE]
  sqrt((right - values)^2 + (below - values)^2)
}
