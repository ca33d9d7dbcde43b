# Checks between the entries of lineup.yml, and against what the engines can do.

lineup_problems <- function(read, engines, unreached = character()) {
  lineup <- read$value
  pipelines <- if (is.list(lineup)) lineup$pipelines
  sound <- sound_entries(read, "pipelines")
  described <- if (is_keyed(lineup$engines)) names(lineup$engines)
  problems <- list(repeated_ids(read, "pipelines", "lineup.yml"))
  for (i in sound) {
    steps <- written_steps(pipelines[[i]])
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
        stage = seq_along(steps),
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

step_problems <- function(step, place, engines, described, stage) {
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
    add_ons,
    gives_problems(write_out_step(step), about, stage, problem)
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

# What is wrong with a sweep: `pipelines` are those of the file that have no problem of their own,
# `all` whether these are all of them.
sweep_problems <- function(sweep, place, pipelines, engines, all) {
  ids <- vapply(pipelines, `[[`, "", "id")
  base <- match(sweep$of, ids)
  if (is.na(base)) {
    return(if (all) {
      new_problem(
        "lineup.yml",
        paste0(place, ".of"),
        quoted(sweep$of),
        paste("one of the pipelines:", paste(ids, collapse = ", ")),
        nearest_word(sweep$of, ids)
      )
    })
  }

  written <- write_out_step(pipelines[[base]])
  about <- lapply(written_steps(written), function(step) engines[[step$engine]]$about)
  if (any(vapply(about, is.null, NA))) {
    return(no_problems())
  }

  values <- sweep_values(sweep)
  problems <- lapply(names(values), function(path) {
    inside <- paste0(place, if (is.null(sweep$grid)) ".over" else paste0(".grid.", path))
    parts <- path_parts(path, written, engines)
    if (is.null(parts)) {
      named <- if (is.null(sweep$grid)) paste0(place, ".vary") else inside
      return(path_problem(path, named, written, about))
    }

    varied_problems(values[[path]], inside, parts, written, engines)
  })
  bind_problems(problems, tied_paths(values, place), sweep_jobs_problems(sweep, place, written))
}

# Jobs of a sweep that its pipeline is not tried on.
sweep_jobs_problems <- function(sweep, place, written) {
  of_pipeline <- unlist(written$jobs) %||% jobs
  bind_problems(lapply(which(!unlist(sweep$jobs) %in% of_pipeline), function(k) {
    new_problem(
      "lineup.yml",
      paste0(place, ".jobs[", k, "]"),
      quoted(sweep$jobs[[k]]),
      paste0("one of the jobs of ", written$id, ": ", listed(of_pipeline)),
      nearest_word(sweep$jobs[[k]], of_pipeline)
    )
  }))
}

path_problem <- function(path, place, written, about) {
  chain <- !is.null(written$steps)
  known <- if (chain) {
    unlist(lapply(seq_along(about), function(k) {
      paste0("steps.", k, ".", known_paths(about[[k]], chain = TRUE))
    }))
  } else {
    known_paths(about[[1]])
  }
  examples <- if (chain) {
    "steps.1.hold, steps.2.guides.edges.weight or steps.2.skip"
  } else {
    listed(c("hold", "checkpoint", names(about[[1]]$settings), "guides.edges.weight"))
  }
  new_problem(
    "lineup.yml",
    place,
    quoted(path),
    paste0("the path of a field of ", written$id, ", such as ", examples, "; see docs/files.md"),
    nearest_word(path, known)
  )
}

# Values that don't fit their field, or that the engine does not take; what is wrong with the
# pipeline itself is told elsewhere.
varied_problems <- function(values, place, parts, written, engines) {
  chain <- parts[1] == "steps"
  step_of <- function(pipeline) {
    if (chain) pipeline$steps[[as.integer(parts[2])]] else pipeline
  }
  stage <- if (chain) as.integer(parts[2]) else 1
  node <- field_at(if (chain) parts[-(1:2)] else parts, chain)
  found <- function(pipeline) {
    step_problems(step_of(pipeline), "", engines, names(engines), stage)
  }
  before <- found(written)
  each <- lapply(seq_along(values), function(j) {
    at <- paste0(place, "[", j, "]")
    wrong <- bind_problems(walk_value(values[[j]], at, node, "lineup.yml"))
    if (nrow(wrong)) {
      return(wrong)
    }

    after <- found(with_value_at(written, parts, values[[j]]))
    after <- after[!paste(after$place, after$found) %in% paste(before$place, before$found), ]
    after$place <- rep(at, nrow(after))
    after
  })
  bind_problems(each)
}

# Two paths of a grid of which one says nothing for some values of the other: it lies inside it, or
# belongs to what is then left out.
tied_paths <- function(values, place) {
  pairs <- expand.grid(outer = names(values), inner = names(values), stringsAsFactors = FALSE)
  head <- mapply(
    function(path, values) {
      ends <- c(skip = TRUE, from = "none", prompt = "none", weight = 0)
      last <- sub("^.*[.]", "", path)
      leaves_out <- last %in% names(ends) &&
        any(vapply(values, function(value) value == ends[[last]], NA))
      if (leaves_out) sub("[^.]*$", "", path) else paste0(path, ".")
    },
    pairs$outer,
    values[pairs$outer]
  )
  pairs <- pairs[pairs$outer != pairs$inner & startsWith(pairs$inner, head), ]
  bind_problems(
    lapply(seq_len(nrow(pairs)), function(i) {
      new_problem(
        "lineup.yml",
        paste0(place, ".grid.", pairs$inner[i]),
        paste0("varied together with ", pairs$outer[i], ", on which it depends"),
        "paths that can be varied independently of each other; two sweeps do so one after another"
      )
    })
  )
}
