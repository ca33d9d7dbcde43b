# Builds a brief from a sound brief.yml.

brief_problems <- function(read, suite) {
  brief <- read$value
  if (is.null(brief) || nrow(read$problems) > 0) {
    return(no_problems())
  }

  jobs <- vapply(suite$value$cases[sound_entries(suite, "cases")], `[[`, "", "job")
  all_known <- nrow(suite$problems) == 0
  one <- function(purpose, job, place, where) {
    bind_problems(
      if (sum(unlist(purpose$weights)) <= 0) {
        new_problem(
          "brief.yml",
          paste0(place, "weights"),
          "no weight above 0",
          "at least one axis that counts"
        )
      },
      if (all_known && !is.null(job) && !job %in% jobs) {
        new_problem(
          "brief.yml",
          where,
          quoted(job),
          paste("a job that the suite has cases of:", paste(unique(jobs), collapse = ", "))
        )
      }
    )
  }

  if (is.null(brief$purposes)) {
    one(brief, brief$job, "", "job")
  } else {
    bind_problems(
      lapply(names(brief$purposes), function(job) {
        place <- paste0("purposes.", job)
        one(brief$purposes[[job]], job, paste0(place, "."), place)
      })
    )
  }
}

# A brief has one purpose (for one job, or NA for all cases) or several, one for each job.
build_brief <- function(brief) {
  purposes <- if (is.null(brief$purposes)) {
    list(build_purpose(brief, brief$job %||% NA_character_, brief$judges))
  } else {
    unname(Map(build_purpose, brief$purposes, names(brief$purposes), list(brief$judges)))
  }
  list(
    brief = brief$brief,
    purposes = purposes,
    limits = brief$limits,
    confidence = brief$confidence %||% 0.9,
    close_enough = as.numeric(brief$close_enough %||% 0),
    prefer = brief$prefer %||% preferences[1],
    draws = as.integer(brief$draws %||% 2000),
    seed = as.integer(brief$seed %||% 1)
  )
}

# Where a picture is kept but for a part of it, a face ought to stay the same face: so its likeness
# is a third of structure in these jobs if a judge tells of faces, and the brief does not say
# otherwise.
jobs_that_keep_faces <- c("repair", "edit")

usual_structure <- function(job, judges) {
  faces <- judges_of_faces(judges)
  if (!job %in% jobs_that_keep_faces || length(faces) == 0) {
    return(c(structure = 1))
  }

  stats::setNames(c(2, 1), c("structure", paste0(faces[1], "_likeness")))
}

build_purpose <- function(purpose, job, judges) {
  by_axis <- function(values, default) {
    out <- stats::setNames(rep(default, length(axes)), axes)
    out[names(values)] <- as.numeric(unlist(values))
    out
  }

  weights <- by_axis(purpose$weights, 0)
  list(
    job = job,
    weights = weights / sum(weights),
    structure_from = unlist(purpose$structure_from) %||% usual_structure(job, judges),
    floors = by_axis(purpose$floors, NA_real_),
    style = if (is.list(purpose$style)) {
      as.numeric(unlist(purpose$style$change))
    } else {
      purpose$style %||% "reach the look"
    }
  )
}

# The jobs that a brief has a purpose for; each gets a verdict.
brief_jobs <- function(brief) vapply(brief$purposes, `[[`, "", "job")

# The brief for one choice: that for `job`, or its first purpose.
brief_for <- function(brief, job = NULL) {
  jobs <- brief_jobs(brief)
  at <- if (is.null(job)) 1 else match(job, jobs)
  if (is.na(at)) {
    stop_sprenn(
      "argument",
      c(
        paste0("The brief has no purpose for the job ", quoted(job), "."),
        i = if (anyNA(jobs)) {
          "It has one purpose, for all cases."
        } else {
          paste("It has", shorten_list(jobs, 8))
        }
      )
    )
  }

  c(
    brief[c("brief", "confidence", "close_enough", "prefer", "draws", "seed")],
    brief$purposes[[at]]
  )
}

# Reads another brief than the trial's from a file of the same form.
read_brief <- function(path, suite) {
  read <- parse_trial_file(dirname(path), basename(path))
  read$file <- "brief.yml"
  read <- walk_trial_file(read)
  problems <- read$problems
  if (nrow(problems) == 0) {
    problems <- brief_problems(
      read,
      list(value = list(cases = suite$cases), problems = no_problems())
    )
  }

  problems <- place_problems(problems, list(brief.yml = read$text))
  problems$file <- rep(basename(path), nrow(problems))
  stop_for_problems(problems, what = "This brief")
  build_brief(read$value)
}

# The measures that a brief brings along: an R file whose last value is one made by
# measure_function(), or a list of them.

own_measures <- function(path) {
  value <- value_of_file(path)
  measures <- if (inherits(value, "sprenn_measure")) list(value) else value
  if (!is.list(measures) ||
    length(measures) == 0 ||
    !all(vapply(measures, inherits, NA, "sprenn_measure"))) {
    stop("its last value is neither a measure_function() nor a list of them", call. = FALSE)
  }

  names <- vapply(measures, `[[`, "", "measure")
  if (anyDuplicated(names)) {
    stop("it has two measures ", quoted(names[duplicated(names)][1]), call. = FALSE)
  }

  unname(measures)
}

# The measures of a suite, built once per process.
suite_measures <- function(suite, kept) {
  if (is.null(suite$measures)) {
    list()
  } else {
    kept$get(paste("measures", suite$measures), own_measures(suite$measures))
  }
}

# The version of a set of scores: another measure, or another text of one, gives other scores.
version_of_measures <- function(suite) {
  paste0(
    measures_version,
    if (!is.null(suite$measures)) paste0(" ", sha256_of(read_bytes(suite$measures)))
  )
}

# Problems with the measures that a brief names, and with their weights.
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
    unlist(lapply(judges, structure_measures), use.names = FALSE),
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
