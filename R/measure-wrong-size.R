measure_wrong_size <- function() {
  new_measure(
    "wrong_size",
    "flaws",
    range = "0 the shape asked for, 0.1 a tenth wider or taller",
    better = "lower",
    sees = "another aspect than asked for",
    blind_to = "the number of pixels: pictures are compared at one size",
    source = "aspects compared",
    cost = "none",
    compute = function(scene) {
      aspect <- scene$take$own[1] / scene$take$own[2]
      asked <- scene$frame[1] / scene$frame[2]
      # A pixel too many or too few is no other shape.
      off <- max(aspect / asked, asked / aspect) - 1
      flaw_score(off, 0.02, 0.05, place = if (aspect > asked) "too wide" else "too tall")
    }
  )
}
