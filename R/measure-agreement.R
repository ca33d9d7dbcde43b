measure_agreement <- function() {
  new_measure(
    "agreement",
    "structure",
    range = "0 chance, 1 the same layout in the same manner",
    better = "higher",
    sees = "how well layouts agree place by place: the stated weighting of the four measures below",
    blind_to = "palette; another medium lowers it",
    source = "weights in docs/measures.md",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      new_scores(agreement_value(scene), weighted_mean(scene$raw, agreement_weights))
    }
  )
}

# Found on the tuning part of bench/validity.R.
agreement_weights <- c(
  orientation = 0.55,
  layout = 0.15,
  local_correlation = 0.2,
  shared_information = 0.1
)

agreement_value <- function(scene) {
  weighted_mean(rescale_from_chance(scene$raw, scene$chance), agreement_weights)
}

weighted_mean <- function(values, weights) sum(values[names(weights)] * weights) / sum(weights)
