measure_structure <- function() {
  new_measure(
    "structure", "structure",
    range = "0 chance, 1 the same layout", better = "higher",
    sees = "the layout: the stated weighting of the four measures above",
    blind_to = "style",
    source = "weights in docs/measures.md",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      new_scores(weighted_mean(rescale_from_chance(scene$raw, scene$chance), structure_weights), weighted_mean(scene$raw, structure_weights))
    }
  )
}

# What makes up structure, found on the tuning part of bench/validity.R.
structure_weights <- c(orientation = 0.55, layout = 0.15, local_correlation = 0.2, shared_information = 0.1)

weighted_mean <- function(values, weights) sum(values[names(weights)] * weights) / sum(weights)
