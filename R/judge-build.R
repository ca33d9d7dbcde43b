# The judges of a brief, by the kind that each is.

# Builds the judges that brief.yml describes. Either `judges`, by name, or `problems`.
build_judges <- function(brief, folder) {
  problems <- list()
  judges <- list()
  taken <- c(list_measures()$measure, "viewing")
  ours <- unlist(lapply(names(brief$judges), function(name) paste0(name, "_", compared_parts)))
  taken <- c(taken, ours)
  for (name in names(brief$judges)) {
    wanted <- brief$judges[[name]]
    place <- paste0("judges.", name)
    if (name %in% taken) {
      problems <- c(
        problems,
        list(new_problem("brief.yml", place, quoted(name), "a name that no measure has"))
      )
    }

    if (!is.null(wanted$question)) {
      problems <- c(problems, list(judge_description_problems(wanted, place)))
    }

    made <- tryCatch(judge_of(wanted, name, folder), error = one_line)
    if (inherits(made, "sprenn_judge")) {
      made$unasked <- wanted$unasked %||% made$unasked
      judges[[name]] <- made
    } else {
      problems <- c(
        problems,
        list(new_problem("brief.yml", place, made, "a judge that can be used"))
      )
    }
  }

  list(judges = judges, problems = bind_problems(problems))
}

judge_of <- function(wanted, name, folder) {
  if (wanted$kind == "vectors") {
    return(vectors_judge(wanted, name, folder))
  }

  if (wanted$kind == "local") {
    return(local_judge(wanted, name))
  }

  if (!is.null(wanted$question)) {
    return(described_judge(wanted, name))
  }

  if (!is.null(wanted$address)) {
    return(inference_judge(wanted, name))
  }

  made <- code_value(wanted, folder)
  if (!inherits(made, "sprenn_judge")) {
    stop("what ", wanted$call %||% wanted$file, " returns is not a judge()", call. = FALSE)
  }

  if (made$kind != wanted$kind) {
    stop("it is a judge of the kind ", made$kind, call. = FALSE)
  }

  made$name <- name
  made$pattern <- c(wanted$ask %||% made$pattern[1], wanted$deny %||% made$pattern[2])
  made$batch <- wanted$batch %||% made$batch
  made$edge <- wanted$edge %||% made$edge
  made
}

# The parts of a finding (score-findings.R) that the judges of a brief tell of, as it names them.
# What a server tells of is known only when it is asked, so it is taken to tell of all.
parts_told <- function(judges) {
  told <- lapply(names(judges), function(name) {
    judge <- judges[[name]]
    if (identical(judge$kind, "finding")) {
      names(finding_outputs)
    } else if (identical(judge$kind, "local")) {
      local_judges[[judge$install %||% name]]$tells
    }
  })
  unique(unlist(told))
}

# The names of those that tell of faces.
judges_of_faces <- function(judges) {
  Filter(function(name) "faces" %in% parts_told(judges[name]), as.character(names(judges)))
}
