measure_brightness <- function() {
  new_probe(
    "brightness",
    "mean OKLab lightness, 0 black to 1 white",
    sees = "how light a place is",
    blind_to = "colour and shape",
    source = "OKLab (Ottosson 2020)",
    look_at = function(seen, probe) list(number = mean(seen$lab[, "L"]))
  )
}
