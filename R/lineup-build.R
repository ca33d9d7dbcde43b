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
      problems <- bind_problems(
        problems,
        per_call_problem(wanted[[name]], built, place),
        description_problems(wanted[[name]], place)
      )
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
      described = "what docs/engines.md says of a service that is described",
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

# A lineup may ask for fewer seeds in a call than an engine takes, not for more.
per_call_problem <- function(wanted, built, place) {
  most <- built$most_per_call %||% 1
  if (is.null(wanted$per_call) || wanted$per_call <= most) {
    return(no_problems())
  }

  new_problem(
    "lineup.yml",
    paste0(place, ".per_call"),
    wanted$per_call,
    paste0("no more than the ", most, " that the engine takes, or leave it out")
  )
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
    described = described_engine(wanted, name),
    command = command_engine(wanted, name, folder),
    folder = folder_engine(wanted, name, folder)
  )
  if (inherits(built, "sprenn_engine")) {
    most_per_call <- seeds_a_call(built)
    for (word in intersect(c("at_once", "price", "per_call"), names(wanted))) {
      built$about[[word]] <- wanted[[word]]
    }

    built$per_minute <- wanted$per_minute
    built$most_per_call <- most_per_call
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
# `checkpoint`, `hold`, `settings`, `add_ons` and `gives` (list columns; the last as step_gives()
# returns it), `native_hold`;
# `jobs` (a list column, all jobs if none was named), `if_missing`, `follows`
# (the step that it works on, NA for none) and `stage` (1 for a first step); and for
# members of a sweep its `sweep` (the pipeline that is varied), `varied` (a list column: the values
# by their paths), `vary` and `value` (NA for grids, and `value` where it is no number).
build_lineup <- function(lineup, engines) {
  base <- lapply(lineup$pipelines, build_pipeline, engines = engines)
  ids <- vapply(base, `[[`, "", "pipeline")
  swept <- list()
  for (sweep in lineup$sweeps) {
    i <- match(sweep$of, ids)
    unfolded <- unfold_sweep(sweep, lineup$pipelines[[i]], base[[i]], engines)
    base[[i]] <- unfolded$base
    swept <- c(swept, unfolded$members)
  }

  chains <- lapply(c(base, swept), unfold_chain)
  as_rows <- function(some) {
    do.call(
      rbind,
      lapply(some, function(one) {
        for (column in c("settings", "add_ons", "gives", "jobs", "varied")) {
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
  drafters <- unlist(lapply(c(pipelines$gives, stages$gives), drafted_by))
  list(
    engines = engines[intersect(
      c(pipelines$engine, stages$engine, drafters),
      names(engines)
    )],
    pipelines = pipelines,
    stages = stages,
    controls = unlist(lineup$controls),
    control_sample = list(
      cases = sample$cases %||% 3,
      seeds = sample$seeds %||% 1,
      pipelines = unlist(sample$pipelines)
    )
  )
}

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

# The names of pipelines, and of the steps that lead to them.
steps_towards <- function(lineup, pipelines) {
  steps <- all_steps(lineup)
  needed <- pipelines
  repeat {
    more <- setdiff(stats::na.omit(steps$follows[steps$pipeline %in% needed]), needed)
    if (length(more) == 0) {
      return(needed)
    }

    needed <- c(needed, more)
  }
}

# The steps that are not made where these pipelines are left out: theirs, and those before them that
# lead to no other.
steps_left_out <- function(lineup, pipelines) {
  kept <- setdiff(lineup$pipelines$pipeline, pipelines)
  setdiff(all_steps(lineup)$pipeline, steps_towards(lineup, kept))
}

# A recipe is an engine with all its settings, and the recipe of the step before.
step_recipes <- function(steps, engines) {
  recipes <- vapply(seq_len(nrow(steps)), function(i) recipe_hash(steps, i, engines), "")
  before <- match(steps$follows, steps$pipeline)
  for (i in order(steps$stage)) {
    if (!is.na(before[i])) {
      recipes[i] <- hash_of(list(recipes[i], recipes[before[i]]))
    }
  }

  recipes
}

# Of the step in row `i`, without those before it.
recipe_hash <- function(steps, i, engines) {
  about <- engines[[steps$engine[i]]]$about
  gives <- steps$gives[[i]]
  drafter <- drafted_by(gives)
  hash_of(c(
    list(
      about$name,
      about$version,
      steps$checkpoint[i],
      steps$native_hold[i],
      steps$settings[[i]],
      steps$add_ons[[i]]
    ),
    # Another version of who drafts the prompt drafts another one.
    if (!is.null(drafter)) engines[[drafter]]$about[c("name", "version")],
    # A pipeline that gives cases as they are keeps the ids that it had before pipelines could do
    # otherwise.
    if (length(gives)) list(gives)
  ))
}
