measure_colour_share <- function() {
  new_probe(
    "colour_share",
    "share of the place",
    asks = "share",
    sees = "how much of a place has a named or given colour",
    blind_to = "shape, texture, the rest of the picture",
    source = "OKLab (Ottosson 2020) and colour_names()",
    look_at = function(seen, probe) {
      counted <- colour_membership(seen$lab, probe$colour)
      list(number = mean(counted), counted = counted)
    }
  )
}
