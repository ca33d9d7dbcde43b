# Contrasts: pipelines that differ in one thing, all else equal. Only there can a difference be
# credited to that thing.

# `sets` is a list by pipeline of all that is set in it, as named values: `engine`, `checkpoint`,
# `hold`, settings and what it gives by paths; of a chain by step (`steps.2.hold`). Returns a row
# for each contrast and pipeline: `contrast`, its number; `vary`, the path in which they differ;
# `pipeline`; and `value` as text, empty where a pipeline leaves it to the engine or the case.
find_contrasts <- function(sets) {
  chains <- vapply(sets, function(set) any(startsWith(names(set), "steps.")), NA)
  sets[!chains] <- lapply(sets[!chains], function(set) prefix_names("steps.1.", set))
  texts <- lapply(sets, function(set) vapply(set, fact_words, ""))
  leaves <- unique(unlist(lapply(texts, names)))
  groups <- lapply(unique(c(leaves, branches_of(leaves))), function(path) {
    groups_along(path, texts)
  })
  groups <- unlist(groups, recursive = FALSE)
  groups <- groups[!are_told(groups, leaves)]
  rows <- lapply(seq_along(groups), function(k) {
    group <- groups[[k]]
    new_table(
      contrast = k,
      vary = if (any(chains[names(group$value)])) {
        group$path
      } else {
        sub("^steps[.]1[.]", "", group$path)
      },
      pipeline = names(group$value),
      value = unname(group$value)
    )
  })
  none <- new_table(
    contrast = integer(),
    vary = character(),
    pipeline = character(),
    value = character()
  )
  do.call(rbind, c(list(none), rows))
}

# Groups of which another tells as much: the same pipelines along one of its leaves, or, along a
# branch, these and others along a wider branch.
are_told <- function(groups, leaves) {
  members <- lapply(groups, function(group) names(group$value))
  paths <- vapply(groups, `[[`, "", "path")
  branch <- !paths %in% leaves
  vapply(
    seq_along(groups),
    function(i) {
      if (!branch[i]) {
        return(FALSE)
      }

      any(vapply(
        setdiff(seq_along(groups), i),
        function(j) {
          if (branch[j]) {
            startsWith(paths[i], paste0(paths[j], ".")) && all(members[[i]] %in% members[[j]])
          } else {
            setequal(members[[i]], members[[j]])
          }
        },
        NA
      ))
    },
    NA
  )
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
groups_along <- function(path, texts) {
  is_engine <- grepl("[.]engine$", path)
  inside <- lapply(texts, function(own) {
    below <- names(own) == path | startsWith(names(own), paste0(path, "."))
    # Checkpoints are an engine's own.
    if (is_engine) below | names(own) == sub("engine$", "checkpoint", path) else below
  })
  rest <- mapply(
    function(own, below) {
      kept <- own[!below]
      kept <- kept[order(names(kept), method = "radix")]
      paste(names(kept), kept, sep = "=", collapse = "\n")
    },
    texts,
    inside
  )
  value <- mapply(
    function(own, below) {
      if (is_engine) unname(own[names(own) == path]) else value_words(own[below], path)
    },
    texts,
    inside
  )
  groups <- split(value, factor(rest, unique(rest[duplicated(rest)])))
  groups <- Filter(function(group) length(unique(group)) > 1, groups)
  lapply(unname(groups), function(group) {
    group <- group[!duplicated(group)]
    number <- suppressWarnings(as.numeric(group))
    list(path = path, value = if (anyNA(number)) group else group[order(number)])
  })
}

# Several values below a path, by what is left of their own paths.
value_words <- function(values, path) {
  if (length(values) < 2) {
    return(if (length(values)) unname(values) else "")
  }

  short <- substring(names(values), nchar(path) + 2)
  listed(paste(short, values))
}
