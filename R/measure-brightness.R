measure_brightness <- function() {
  new_measure(
    "brightness", "adherence",
    range = "0 to 1 (raw: mean OKLab lightness)", better = "as asked",
    sees = "how light a place is",
    blind_to = "colour and shape",
    source = "OKLab (Ottosson 2020)",
    cost = "low",
    compute = function(scene, probe) {
      lightness <- in_place(view_oklab(scene$take), probe$where)[, "L"]
      grade_probe(mean(lightness), probe$brightness, probe$where)
    }
  )
}
