measure_symmetry <- function() {
  new_probe(
    "symmetry",
    "0 no more alike than chance, 1 the right side mirrors the left",
    sees = "whether the right side of a place mirrors its left",
    blind_to = "details, colour, other axes of symmetry",
    source = "correlation of lightness (OKLab, Ottosson 2020) with its mirror image, 64 cells wide",
    look_at = function(seen, probe) {
      box <- place_span(seen$inside)
      wide <- min(64, length(box$columns))
      size <- as.integer(c(wide, max(1, round(wide * length(box$rows) / length(box$columns)))))
      light <- resize_map(seen$oklab[box$rows, box$columns, 1, drop = FALSE], size)
      other <- light[, rev(seq_len(ncol(light))), drop = FALSE]
      level <- mean(light)
      # A place of one tone is the same both ways round.
      spread <- mean((light - level)^2) + 1e-4
      list(number = max(0, (mean((light - level) * (other - level)) + 1e-4) / spread))
    }
  )
}
