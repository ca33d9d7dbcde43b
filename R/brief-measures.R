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
  problems <- no_problems()
  known <- list_measures()
  known <- c(
    known$measure[known$axis != "adherence"],
    names(Filter(function(judge) judge$kind %in% c("pose", "depth"), judges))
  )
  if (is.character(brief$measures)) {
    at <- resolve_path(brief$measures, folder)
    wrong <- at$wrong %||% if (!file.exists(at$path)) "no such file"
    own <- if (is.null(wrong)) {
      tryCatch(own_measures(at$path), error = function(e) conditionMessage(e))
    }
    if (is.character(own)) {
      wrong <- own
    }

    if (!is.null(wrong)) {
      return(new_problem(
        "brief.yml",
        "measures",
        paste0(quoted(brief$measures), ", ", wrong),
        "an R file whose last value is a measure_function(), or a list of them"
      ))
    }

    known <- c(known, vapply(own, `[[`, "", "measure"))
  }

  places <- c(
    list(structure_from = brief$structure_from),
    stats::setNames(
      lapply(brief$purposes, `[[`, "structure_from"),
      sprintf("purposes.%s.structure_from", names(brief$purposes))
    )
  )
  for (place in names(places)) {
    weights <- places[[place]]
    for (name in setdiff(names(weights), known)) {
      problems <- bind_problems(
        problems,
        new_problem(
          "brief.yml",
          paste0(place, ".", name),
          quoted(name),
          "a measure that there is",
          near = nearest_word(name, known)
        )
      )
    }

    if (length(weights) && sum(unlist(weights)) <= 0) {
      problems <- bind_problems(
        problems,
        new_problem("brief.yml", place, "no weight above 0", "at least one measure that counts")
      )
    }
  }

  problems
}

own_path <- function(measures, folder) {
  if (!is.null(measures)) {
    resolve_path(measures, folder)$path
  }
}
