# Checks between the entries of lineup.yml, and against what the engines can do.

lineup_problems <- function(read, engines, unreached = character()) {
  lineup <- read$value
  pipelines <- if (is.list(lineup)) lineup$pipelines
  sound <- sound_entries(read, "pipelines")
  described <- if (is_keyed(lineup$engines)) names(lineup$engines)
  problems <- list(repeated_ids(read, "pipelines", "lineup.yml"))
  for (i in sound) {
    steps <- pipelines[[i]]$steps %||% list(pipelines[[i]])
    inside <- if (is.null(pipelines[[i]]$steps)) {
      ""
    } else {
      paste0(".steps[", seq_along(steps), "]")
    }
    problems <- c(
      problems,
      Map(
        step_problems,
        steps,
        paste0("pipelines[", i, "]", inside),
        MoreArgs = list(engines = engines, described = described)
      )
    )
  }

  for (i in sound_entries(read, "sweeps")) {
    # A pipeline with a problem of its own may still be the one referred to.
    problems <- c(
      problems,
      list(
        sweep_problems(
          lineup$sweeps[[i]],
          paste0("sweeps[", i, "]"),
          pipelines[sound],
          engines,
          all = length(sound) == length(pipelines)
        )
      )
    )
  }

  problems <- bind_problems(unname(problems))
  # Without the engines, pipelines can't be compared with each other.
  if (nrow(problems) + nrow(read$problems) > 0 ||
    is.null(lineup) ||
    !all(names(lineup$engines) %in% c(names(engines), unreached))) {
    return(problems)
  }

  same_problems(without_engines(lineup, unreached)$lineup, engines)
}

# Pipelines that are one and the same.
same_problems <- function(lineup, engines) {
  if (length(lineup$pipelines) == 0) {
    return(no_problems())
  }

  same <- same_recipes(build_lineup(lineup, engines))
  bind_problems(
    lapply(same, function(pair) {
      new_problem(
        "lineup.yml",
        "pipelines",
        paste(pair, collapse = " and "),
        "pipelines that differ in something: these two are one and the same"
      )
    })
  )
}

step_problems <- function(step, place, engines, described) {
  about <- engines[[step$engine]]$about
  problem <- function(name, ...) new_problem("lineup.yml", paste0(place, ".", name), ...)
  if (is.null(about)) {
    return(engine_problem(step, engines, described, problem))
  }

  settings <- lapply(names(step$settings), function(name) {
    setting_problem(step$settings[[name]], name, about, paste0(place, ".settings.", name))
  })
  add_ons <- lapply(setdiff(names(step$add_ons), about$add_ons), function(name) {
    add_on_problem(name, about, problem)
  })
  bind_problems(
    settings,
    list(checkpoint_problem(step, about, problem), hold_problem(step, about, problem)),
    add_ons
  )
}

# An engine that is described but unavailable is reported separately.
engine_problem <- function(step, engines, described, problem) {
  if (step$engine %in% described) {
    return(no_problems())
  }

  known <- union(described, names(engines))
  problem(
    "engine",
    quoted(step$engine),
    paste("one of the engines:", paste(known, collapse = ", ")),
    nearest_word(step$engine, known)
  )
}

checkpoint_problem <- function(step, about, problem) {
  known <- names(about$checkpoints)
  wanted <- paste0("one of ", about$name, "'s checkpoints: ", paste(known, collapse = ", "))
  if (is.null(step$checkpoint)) {
    return(if (length(known) > 1) problem("checkpoint", "nothing", wanted))
  }

  if (!step$checkpoint %in% known) {
    near <- nearest_word(step$checkpoint, known)
    problem("checkpoint", quoted(step$checkpoint), wanted, near)
  }
}

hold_problem <- function(step, about, problem) {
  if (is.null(about$hold) && !is.null(step$hold)) {
    none <- paste0("no hold: ", about$name, " has no such knob")
    return(problem("hold", show_value(step$hold), none))
  }

  if (!is.null(about$hold) && is.null(step$hold)) {
    problem("hold", "nothing", "a number from 0 (lets the reference go) to 1 (keeps it)")
  }
}

add_on_problem <- function(name, about, problem) {
  known <- if (length(about$add_ons)) {
    paste0("one of ", about$name, "'s add-ons: ", paste(about$add_ons, collapse = ", "))
  } else {
    paste0("no add-ons: ", about$name, " knows none")
  }
  problem(
    paste0("add_ons.", name),
    "an add-on that the engine does not have",
    known,
    nearest_word(name, about$add_ons)
  )
}

sweep_problems <- function(sweep, place, pipelines, engines, all) {
  ids <- vapply(pipelines, `[[`, "", "id")
  problems <- list()
  note <- function(where, ...) {
    problems[[length(problems) + 1]] <<- new_problem("lineup.yml", paste0(place, where), ...)
  }

  base <- match(sweep$of, ids)
  if (is.na(base)) {
    if (all) {
      note(
        ".of",
        quoted(sweep$of),
        paste("one of the pipelines:", paste(ids, collapse = ", ")),
        nearest_word(sweep$of, ids)
      )
    }

    return(bind_problems(problems))
  }

  if (!is.null(pipelines[[base]]$steps)) {
    note(".of", paste0(quoted(sweep$of), ", a chain"), "a pipeline of one step")
    return(bind_problems(problems))
  }

  about <- engines[[pipelines[[base]]$engine]]$about
  if (is.null(about)) {
    return(no_problems())
  }

  known <- c(if (!is.null(about$hold)) "hold", "checkpoint", names(about$settings))
  values <- sweep$grid %||% stats::setNames(list(sweep$over), sweep$vary)
  for (name in names(values)) {
    inside <- if (is.null(sweep$grid)) ".over" else paste0(".grid.", name)
    if (!name %in% known) {
      note(
        if (is.null(sweep$grid)) ".vary" else inside,
        quoted(name),
        paste0("what ", about$name, " takes: ", paste(known, collapse = ", ")),
        nearest_word(name, known)
      )
      next
    }

    about$settings$hold <- new_setting(c(0, 1))
    about$settings$checkpoint <- new_setting(names(about$checkpoints))
    problems <- c(
      problems,
      lapply(seq_along(values[[name]]), function(j) {
        setting_problem(values[[name]][[j]], name, about, paste0(place, inside, "[", j, "]"))
      })
    )
  }

  bind_problems(problems)
}

inputs_of <- function(case) {
  c(
    if (!is.na(case$look)) "look",
    if (!is.null(case$mask) || any(case$grow > 0) || identical(case$reference$fit, "extend")) {
      "mask"
    },
    if (length(case$references) > 1) "references",
    if (length(case$references) == 0) "text_alone",
    if (length(case$negative)) "negative",
    names(case$guides)
  )
}

# Inputs of a pipeline that its engine does not take: an error before anything is made, unless the
# pipeline says to leave them out. A fresh picture or several references can't be left out, since
# then something else would be asked. `ids` are those of all pipelines of the file.
fit_problems <- function(trial, ids) {
  steps <- all_steps(trial$lineup)
  cases <- trial$suite$cases
  written <- trial$lineup$pipelines$pipeline[is.na(trial$lineup$pipelines$sweep) |
    trial$lineup$pipelines$sweep == trial$lineup$pipelines$pipeline]
  owner <- sub(":[0-9]+$", "", steps$pipeline)
  bind_problems(
    lapply(which(owner %in% written), function(i) {
      about <- trial$lineup$engines[[steps$engine[i]]]$about
      mine <- Filter(function(case) case$job %in% steps$jobs[[i]], cases)
      lacking <- lapply(mine, function(case) {
        setdiff(step_inputs(case, steps$stage[i]), about$takes)
      })
      if (steps$if_missing[i] == "drop") {
        lacking <- lapply(lacking, intersect, c("text_alone", "references"))
      }

      place <- paste0("pipelines[", match(owner[i], ids), "]")
      if (length(mine) == 0) {
        return(
          if (is.na(steps$follows[i])) {
            new_problem(
              "lineup.yml",
              paste0(place, ".jobs"),
              "no case of these jobs",
              paste(
                "jobs that the suite has:",
                paste(unique(vapply(cases, `[[`, "", "job")), collapse = ", ")
              )
            )
          }
        )
      }

      bind_problems(
        lapply(unique(unlist(lacking)), function(input) {
          ids <- vapply(mine, `[[`, "", "id")[vapply(
            lacking,
            function(inputs) input %in% inputs,
            NA
          )]
          new_problem(
            "lineup.yml",
            place,
            paste0(
              shorten_list(ids), " with ", input_words[[input]], ", which ",
              about$name, " does not take"
            ),
            if (input %in% c("text_alone", "references")) {
              "jobs: a list of those that it can do"
            } else {
              "if_missing: drop, to leave it out, or jobs: a list of those that it can do"
            }
          )
        })
      )
    })
  )
}

# A later step has one reference: the picture of the step before.
step_inputs <- function(case, stage) {
  if (stage == 1) {
    inputs_of(case)
  } else {
    setdiff(inputs_of(case), c("references", "text_alone"))
  }
}
