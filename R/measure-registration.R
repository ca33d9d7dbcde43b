measure_registration <- function() {
  new_measure(
    "registration",
    "structure",
    range = "0 chance, 1 every part where it was",
    better = "higher",
    sees = "whether the parts of the reference are found where they were",
    blind_to = "medium and style: how well a part is found, contrast, colours",
    source = paste0(
      "orientation fields of parts, each sought within 6 % of ",
      "the long edge (block matching)"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) new_scores(registration_value(scene), scene$registered)
  )
}

# What strangers have, on the `fit` half of bench/natural.R.
registered_by_chance <- 0.2

registration_value <- function(scene) {
  rescale_from_chance(scene$registered, registered_by_chance)
}
