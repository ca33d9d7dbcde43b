# Contrasts: pipelines that differ in one thing, all else equal. Only there can a difference be
# credited to that thing.

# `sets` is a list by pipeline of all that is set in it, as named values: `engine`, `checkpoint`,
# `hold`, settings and what it gives by paths; of a chain by step (`steps.2.hold`). Returns a row
# for each contrast and pipeline: `contrast`, its number; `vary`, the path in which they differ;
# `pipeline`; and `value` as text, empty where a pipeline leaves it to the engine or the case.
find_contrasts <- function(sets) {
  chains <- vapply(sets, function(set) any(startsWith(names(set), "steps.")), NA)
  facts <- facts_of_sets(sets, chains)
  leaves <- colnames(facts)
  groups <- lapply(unique(c(leaves, branches_of(leaves))), groups_along, facts)
  groups <- unlist(groups, recursive = FALSE)
  groups <- lapply(groups[!are_told(groups, leaves)], valued_group, facts)
  sizes <- vapply(groups, function(group) length(group$value), 0L)
  paths <- vapply(groups, `[[`, "", "path")
  values <- as.character(unlist(lapply(groups, function(group) unname(group$value))))
  pipelines <- as.character(unlist(lapply(groups, function(group) names(group$value))))
  in_chain <- vapply(groups, function(group) any(chains[names(group$value)]), NA)
  new_table(
    contrast = rep(seq_along(groups), sizes),
    vary = rep(ifelse(in_chain, paths, sub("^steps[.]1[.]", "", paths)), sizes),
    pipeline = pipelines,
    value = values
  )
}

# All that is set, as texts: a row a pipeline, a column a path, NA where nothing is said.
facts_of_sets <- function(sets, chains) {
  names_of <- lapply(sets, names)
  paths <- unlist(names_of)
  alone <- rep(!chains, lengths(sets))
  paths[alone] <- paste0("steps.1.", paths[alone])
  values <- unlist(lapply(sets, unname), recursive = FALSE)
  number <- vapply(values, is.numeric, NA)
  texts <- vapply(values, function(value) as.character(value)[1], "")
  numbers <- as.numeric(unlist(values[number]))
  known <- unique(numbers)
  texts[number] <- vapply(known, format_value, "")[match(numbers, known)]
  leaves <- unique(paths)
  facts <- matrix(NA_character_, length(sets), length(leaves), dimnames = list(names(sets), leaves))
  facts[cbind(rep(seq_along(sets), lengths(sets)), match(paths, leaves))] <- texts
  facts
}

# Groups of which another tells as much: the same pipelines along one of its leaves, or, along a
# branch, these and others along a wider branch.
are_told <- function(groups, leaves) {
  members <- lapply(groups, `[[`, "at")
  keys <- vapply(members, paste, "", collapse = " ")
  paths <- vapply(groups, `[[`, "", "path")
  branch <- !paths %in% leaves
  told <- branch & keys %in% keys[!branch]
  for (i in which(branch & !told)) {
    wider <- which(branch & startsWith(paths[i], paste0(paths, ".")))
    told[i] <- any(vapply(wider, function(j) all(members[[i]] %in% members[[j]]), NA))
  }

  told
}

fact_words <- function(value) if (is.numeric(value)) format_value(value) else as.character(value)

# What leaves have in common: guides and one guide, the look, the wording, a later step.
branches_of <- function(leaves) {
  inside <- sub("[.][^.]*$", "", leaves)
  all <- unique(c(inside, sub("[.][^.]*$", "", inside)))
  engines <- paste0(unique(sub("^(steps[.][0-9]+)[.].*$", "\\1", leaves)), ".engine")
  # The first step is what later ones work on, and all of a chain is no one thing.
  c(setdiff(all, c("steps", "steps.1", leaves)), intersect(engines, leaves))
}

# Groups of pipelines that are alike in all but what lies at or below a path.
groups_along <- function(path, facts) {
  leaves <- colnames(facts)
  is_engine <- grepl("[.]engine$", path)
  below <- leaves == path | startsWith(leaves, paste0(path, "."))
  # Checkpoints are an engine's own.
  apart <- if (is_engine) below | leaves == sub("engine$", "checkpoint", path) else below
  rest <- do.call(paste, c(list(""), as.data.frame(facts[, !apart, drop = FALSE]), sep = "\n"))
  own <- do.call(paste, c(list(""), as.data.frame(facts[, below, drop = FALSE]), sep = "\n"))
  shared <- unique(rest[duplicated(rest)])
  # Of pipelines that are alike altogether, the first.
  kept <- rest %in% shared & !duplicated(paste(rest, own, sep = "\r"))
  groups <- split(which(kept), factor(rest[kept], shared))
  lapply(unname(groups[lengths(groups) > 1]), function(at) {
    list(path = path, at = at, below = below)
  })
}

# A group with what its pipelines have there, numbers in their order.
valued_group <- function(group, facts) {
  value <- facts[group$at, group$below]
  if (sum(group$below) == 1) {
    value[is.na(value)] <- ""
  } else {
    value <- apply(value, 1, function(own) value_words(own[!is.na(own)], group$path))
  }

  names(value) <- rownames(facts)[group$at]
  number <- suppressWarnings(as.numeric(value))
  list(path = group$path, value = if (anyNA(number)) value else value[order(number)])
}

# Several values below a path, by what is left of their own paths.
value_words <- function(values, path) {
  if (length(values) < 2) {
    return(if (length(values)) unname(values) else "")
  }

  short <- substring(names(values), nchar(path) + 2)
  listed(paste(short, values))
}
