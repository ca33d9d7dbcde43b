measure_edges <- function() {
  new_measure(
    "edges",
    "structure",
    range = "0 chance, 1 the same outlines",
    better = "higher",
    sees = "thin outlines within about 2 px of the same place in 384",
    blind_to = "where texture draws outlines everywhere, it sees agreement: not part of structure",
    source = "outlines (Canny 1986) and exact distances (Felzenszwalb and Huttenlocher 2012)",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "edges")
  )
}
