# Builds the engines and the table of pipelines of a sound lineup.yml.

# The `engines` by name, their `problems`, and as `unreached` the same of servers that have never
# described themselves: nothing is wrong with the lineup, but their pipelines can't be checked.
build_engines <- function(read, folder, given, ask = TRUE) {
  # Problems with the fields of an engine are reported before those with its description of
  # itself.
  broken <- sub(
    "^engines\\.([^.]*).*",
    "\\1",
    grep("^engines\\.", read$problems$place, value = TRUE)
  )
  wanted <- Filter(is.list, read$value$engines)
  wanted <- wanted[!names(wanted) %in% broken]
  problems <- no_problems()
  unreached <- new_table(no_problems(), engine = character())
  engines <- list()
  curves <- if (is_keyed(read$value$calibrations) &&
    !any(startsWith(read$problems$place, "calibrations"))) {
    read$value$calibrations
  }
  for (name in union(names(wanted), names(given))) {
    place <- paste0("engines.", name)
    built <- if (!is.null(given[[name]])) {
      given[[name]]
    } else {
      tryCatch(build_engine(wanted[[name]], name, folder, ask), error = identity)
    }
    if (inherits(built, "sprenn_engine")) {
      engine <- tryCatch(calibrated(built, curves[[name]]), sprenn_error = function(e) NULL)
      if (is.null(engine)) {
        problems <- bind_problems(
          problems,
          new_problem(
            "lineup.yml",
            paste0("calibrations.", name),
            "a curve that does not fit its knob",
            "hold rising from 0 to 1 and knob between its ends; `sprenn calibrate` writes one"
          )
        )
      }

      engines[[name]] <- engine %||% built
      next
    }

    wrong <- if (inherits(built, "condition")) {
      safe_message(conditionMessage(built), as.character(wanted[[name]]$key))
    } else {
      paste("an object of class", class(built)[1])
    }
    better <- switch(wanted[[name]]$kind %||% "function",
      "function" = paste0(
        "call: package::function or file: path.R (one of them) that gives an engine(); see ",
        "examples/own-engine.R"
      ),
      http = paste0(
        "a server there that keeps the contract; `sprenn engines ",
        "--conform --at ADDRESS` tries it"
      ),
      "what docs/engines.md says of an engine of this kind"
    )
    problem <- new_problem("lineup.yml", place, gsub("[[:space:]]+", " ", wrong), better)
    if (inherits(built, "sprenn_failure")) {
      unreached <- bind_problems(unreached, new_table(problem, engine = name))
    } else {
      problems <- bind_problems(problems, problem)
    }
  }

  list(engines = engines, problems = problems, unreached = unreached)
}

# The lineup without the pipelines that some engines would have to make, and their sweeps.
without_engines <- function(lineup, engines) {
  made_by <- function(pipeline) {
    steps <- pipeline$steps %||% list(pipeline)
    vapply(steps, `[[`, "", "engine")
  }
  out <- vapply(lineup$pipelines, function(one) any(made_by(one) %in% engines), NA)
  ids <- vapply(lineup$pipelines[out], `[[`, "", "id")
  lineup$pipelines <- lineup$pipelines[!out]
  lineup$sweeps <- Filter(function(sweep) !sweep$of %in% ids, lineup$sweeps)
  list(lineup = lineup, left_out = ids)
}

# A server is asked for its description, unless `ask` is false and one is kept.
build_engine <- function(wanted, name, folder, ask = TRUE) {
  built <- switch(wanted$kind,
    "function" = function_engine(wanted, folder),
    http = http_engine(wanted, name, folder, ask),
    inference = inference_engine(wanted, name),
    command = command_engine(wanted, name, folder),
    folder = folder_engine(wanted, name, folder)
  )
  if (inherits(built, "sprenn_engine")) {
    for (word in intersect(c("at_once", "price"), names(wanted))) {
      built$about[[word]] <- wanted[[word]]
    }

    built$per_minute <- wanted$per_minute
    # R code and programs can also run in another process.
    if (wanted$kind %in% c("function", "command")) {
      built$plan <- engine_plan(wanted, name, folder)
    }
  }

  built
}

# The engine with its measured curve, which takes precedence over its own description.
calibrated <- function(engine, curve) {
  if (is.null(curve) || is.null(engine$about$hold)) {
    return(engine)
  }

  engine$about$curve <- lapply(curve[c("hold", "knob")], function(values) {
    as.numeric(unlist(values))
  })
  engine$about <- new_about(engine$about)
  engine$calibration <- curve
  engine
}

function_engine <- function(wanted, folder) {
  engine <- code_value(wanted, folder)
  if (inherits(engine, "sprenn_engine") && !is.null(wanted$seconds)) {
    engine$seconds <- wanted$seconds
  }

  engine
}

# All pipelines, sweeps unfolded: a data frame with `pipeline`, `engine`,
# `checkpoint`, `hold`, `settings` and `add_ons` (list columns), `native_hold`;
# `jobs` (a list column, all jobs if none was named), `if_missing`, `follows`
# (the step that it works on, NA for none) and `stage` (1 for a first step); and for
# members of a sweep its `sweep` (the pipeline that is varied), `vary` and `value`, the two
# last NA for grids.
build_lineup <- function(lineup, engines) {
  base <- lapply(lineup$pipelines, build_pipeline, engines = engines)
  ids <- vapply(base, `[[`, "", "pipeline")
  swept <- list()
  for (sweep in lineup$sweeps) {
    i <- match(sweep$of, ids)
    own <- base[[i]]
    values <- sweep$grid %||% stats::setNames(list(sweep$over), sweep$vary)
    # A sweep includes the pipeline that it varies, under that name.
    base[[i]]$sweep <- own$pipeline
    if (length(values) == 1) {
      base[[i]]$vary <- names(values)
      base[[i]]$value <- number_or_na(setting_of(own, names(values)))
    }

    swept <- c(swept, lapply(combine_values(values), vary_pipeline, from = own))
  }

  swept <- Filter(function(one) !is.null(one), swept)
  chains <- lapply(c(base, swept), unfold_chain)
  as_rows <- function(some) {
    do.call(
      rbind,
      lapply(some, function(one) {
        for (column in c("settings", "add_ons", "jobs")) {
          one[[column]] <- list(one[[column]])
        }

        as_table(c(
          one,
          native_hold = to_native_hold(one$hold, engines[[one$engine]]$about)
        ))
      })
    )
  }

  stages <- as_rows(
    unlist(lapply(chains, function(chain) chain[-length(chain)]), recursive = FALSE)
  )
  pipelines <- as_rows(lapply(chains, function(chain) chain[[length(chain)]]))
  sample <- lineup$control_sample
  list(
    engines = engines[unique(c(pipelines$engine, stages$engine))],
    pipelines = pipelines,
    stages = stages,
    controls = unlist(lineup$controls),
    control_sample = list(cases = sample$cases %||% 3, seeds = sample$seeds %||% 1)
  )
}

# A chain as steps that follow each other: the last one is the pipeline, those
# before it are named after it.
unfold_chain <- function(one) {
  steps <- one$steps
  one$steps <- NULL
  count <- length(steps) + 1
  if (count == 1) {
    return(list(c(one, list(follows = NA_character_, stage = 1L))))
  }

  names <- c(paste0(one$pipeline, ":", seq_len(count - 1)), one$pipeline)
  lapply(seq_len(count), function(k) {
    part <- one
    if (k > 1) {
      part[names(steps[[k - 1]])] <- steps[[k - 1]]
    }

    part$pipeline <- names[k]
    c(part, list(follows = if (k > 1) names[k - 1] else NA_character_, stage = k))
  })
}

build_pipeline <- function(pipeline, engines) {
  steps <- lapply(pipeline$steps %||% list(pipeline), build_step, engines = engines)
  c(
    list(pipeline = pipeline$id),
    steps[[1]],
    list(
      steps = steps[-1],
      jobs = unlist(pipeline$jobs) %||% jobs,
      if_missing = pipeline$if_missing %||% "stop",
      sweep = NA_character_,
      vary = NA_character_,
      value = NA_real_
    )
  )
}

build_step <- function(step, engines) {
  list(
    engine = step$engine,
    checkpoint = step$checkpoint %||% names(engines[[step$engine]]$about$checkpoints)[1],
    hold = as.numeric(step$hold %||% NA),
    settings = sort_by_name(step$settings),
    add_ons = sort_by_name(step$add_ons)
  )
}

# Every combination of the values, each as a named list.
combine_values <- function(values) {
  places <- expand.grid(rev(lapply(values, seq_along)))[, rev(seq_along(values)), drop = FALSE]
  lapply(seq_len(nrow(places)), function(i) {
    Map(function(some, k) some[[k]], values, unlist(places[i, ]))
  })
}

# The pipeline with some settings changed; NULL if nothing changes.
vary_pipeline <- function(values, from) {
  if (all(
    mapply(
      function(value, name) identical(value, setting_of(from, name)),
      values,
      names(values)
    )
  )) {
    return(NULL)
  }

  shown <- vapply(
    values,
    function(value) if (is.numeric(value)) format(value, digits = 6) else value,
    ""
  )
  from$sweep <- from$pipeline
  from$pipeline <- paste0(from$pipeline, "/", paste0(names(values), "=", shown, collapse = ","))
  if (length(values) == 1) {
    from$vary <- names(values)
    from$value <- number_or_na(values[[1]])
  }

  for (name in names(values)) {
    if (name %in% c("hold", "checkpoint")) {
      from[[name]] <- values[[name]]
    } else {
      from$settings[[name]] <- values[[name]]
    }
  }

  from$settings <- sort_by_name(from$settings)
  from
}

setting_of <- function(pipeline, name) {
  if (name %in% c("hold", "checkpoint")) {
    pipeline[[name]]
  } else {
    pipeline$settings[[name]]
  }
}

number_or_na <- function(value) if (is.numeric(value)) as.numeric(value) else NA_real_

# Pairs of pipelines with identical requests: engines are compared by what they call themselves,
# not by their name in the lineup.
same_recipes <- function(lineup) {
  steps <- all_steps(lineup)
  pipelines <- lineup$pipelines
  keys <- step_recipes(steps, lineup$engines)[match(pipelines$pipeline, steps$pipeline)]
  lapply(which(duplicated(keys)), function(i) pipelines$pipeline[c(match(keys[i], keys), i)])
}

# The pipelines and the earlier steps of chains.
all_steps <- function(lineup) rbind(lineup$pipelines, lineup$stages)

# A recipe is an engine with all its settings, and the recipe of the step before.
step_recipes <- function(steps, engines) {
  recipes <- character()
  for (i in order(steps$stage)) {
    own <- recipe_hash(steps[i, ], engines)
    recipes[[steps$pipeline[i]]] <- if (is.na(steps$follows[i])) {
      own
    } else {
      hash_of(list(own, recipes[[steps$follows[i]]]))
    }
  }

  unname(recipes[steps$pipeline])
}

recipe_hash <- function(pipeline, engines) {
  about <- engines[[pipeline$engine]]$about
  hash_of(list(
    about$name,
    about$version,
    pipeline$checkpoint,
    pipeline$native_hold,
    pipeline$settings[[1]],
    pipeline$add_ons[[1]]
  ))
}
