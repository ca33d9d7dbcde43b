# The measures that a brief brings along: an R file whose last value is one made by
# measure_function(), or a list of them.

own_measures <- function(path) {
  value <- value_of_file(path)
  measures <- if (inherits(value, "sprenn_measure")) list(value) else value
  if (!is.list(measures) ||
    length(measures) == 0 ||
    !all(vapply(measures, inherits, NA, "sprenn_measure"))) {
    stop("its last value is no measure_function(), nor a list of them", call. = FALSE)
  }

  names <- vapply(measures, `[[`, "", "measure")
  if (anyDuplicated(names)) {
    stop("it has two measures ", quoted(names[duplicated(names)][1]), call. = FALSE)
  }

  unname(measures)
}

# Those of a suite that is being measured, built once in a process.
suite_measures <- function(suite, kept) {
  if (is.null(suite$measures)) {
    list()
  } else {
    keep(kept, paste("measures", suite$measures), own_measures(suite$measures))
  }
}

# What scores are known by: another measure, or another text of one, makes others.
version_of_measures <- function(suite) {
  paste0(
    measures_version,
    if (!is.null(suite$measures)) paste0(" ", sha256_of(read_bytes(suite$measures)))
  )
}

# What is wrong with the measures that a brief names, and with the weights it gives them.
measure_problems <- function(brief, folder, judges = list()) {
  listed <- list_measures()
  own <- if (is.character(brief$measures)) own_measures_of(brief$measures, folder)
  if (is.character(own)) {
    return(new_problem(
      "brief.yml",
      "measures",
      paste0(quoted(brief$measures), ", ", own),
      "an R file whose last value is a measure_function(), or a list of them"
    ))
  }

  known <- c(
    listed$measure[listed$axis != "adherence"],
    names(Filter(function(judge) judge$kind %in% c("pose", "depth"), judges)),
    vapply(own, `[[`, "", "measure")
  )
  weights <- c(
    list(structure_from = brief$structure_from),
    stats::setNames(
      lapply(brief$purposes, `[[`, "structure_from"),
      sprintf("purposes.%s.structure_from", names(brief$purposes))
    )
  )
  bind_problems(
    unlist(
      lapply(names(weights), function(place) weight_problems(weights[[place]], place, known)),
      recursive = FALSE
    )
  )
}

# The measures of a file, or what is wrong with it.
own_measures_of <- function(file, folder) {
  at <- resolve_path(file, folder)
  wrong <- at$wrong %||% if (!file.exists(at$path)) "no such file"
  wrong %||% tryCatch(own_measures(at$path), error = function(e) conditionMessage(e))
}

weight_problems <- function(weights, place, known) {
  unknown <- lapply(setdiff(names(weights), known), function(name) {
    new_problem(
      "brief.yml",
      paste0(place, ".", name),
      quoted(name),
      "a measure that there is",
      near = nearest_word(name, known)
    )
  })
  none <- if (length(weights) && sum(unlist(weights)) <= 0) {
    new_problem("brief.yml", place, "no weight above 0", "at least one measure that counts")
  }
  c(unknown, list(none))
}

own_path <- function(measures, folder) {
  if (!is.null(measures)) {
    resolve_path(measures, folder)$path
  }
}
