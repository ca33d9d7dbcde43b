# From a sound lineup.yml to engines and a table of pipelines.

build_engines <- function(read, folder, given) {
  wanted <- Filter(is.list, read$value$engines)
  problems <- no_problems()
  engines <- list()
  for (name in union(names(wanted), names(given))) {
    built <- if (!is.null(given[[name]])) given[[name]] else tryCatch(build_engine(wanted[[name]], folder), error = identity)
    if (inherits(built, "sprenn_engine")) {
      engines[[name]] <- built
      next
    }
    place <- paste0("engines.", name)
    wrong <- if (inherits(built, "condition")) conditionMessage(built) else paste("an object of class", class(built)[1])
    problems <- bind_problems(problems, new_problem(
      "lineup.yml", place, gsub("[[:space:]]+", " ", wrong),
      "call: package::function or file: path.R (one of them) that gives an engine(); see examples/own-engine.R"
    ))
  }
  list(engines = engines, problems = place_problems(problems, read$line))
}

build_engine <- function(wanted, folder) {
  if (!is.character(c(wanted$call, wanted$file, ""))) stop("a call or file that is no text")
  if (is.null(wanted$call) == is.null(wanted$file)) {
    stop(if (is.null(wanted$call)) "neither call nor file" else "both call and file")
  }
  if (!is.null(wanted$call)) {
    parts <- strsplit(wanted$call, "::", fixed = TRUE)[[1]]
    if (length(parts) != 2) stop(quoted(wanted$call))
    return(getExportedValue(parts[1], parts[2])())
  }
  at <- resolve_path(wanted$file, folder)
  if (!is.null(at$wrong)) stop(quoted(wanted$file), ", ", at$wrong)
  if (!file.exists(at$path)) stop(quoted(wanted$file), ", no such file")
  source(at$path, local = new.env(parent = globalenv()))$value
}

lineup_problems <- function(read, engines) {
  lineup <- read$value
  pipelines <- if (is.list(lineup)) lineup$pipelines
  sound <- sound_entries(read, "pipelines")
  ids <- rep(NA_character_, length(pipelines))
  ids[sound] <- vapply(pipelines[sound], `[[`, "", "id")
  problems <- list()
  note <- function(place, ...) problems[[length(problems) + 1]] <<- new_problem("lineup.yml", place, ...)
  for (i in which(duplicated(tolower(ids), incomparables = NA))) {
    note(paste0("pipelines[", i, "].id"), quoted(ids[i]), paste0("an id that no other pipeline has; pipelines[", match(tolower(ids[i]), tolower(ids)), "] has it"))
  }
  for (i in sound) {
    problems <- c(problems, list(pipeline_problems(pipelines[[i]], paste0("pipelines[", i, "]"), engines, names(lineup$engines))))
  }
  for (i in sound_entries(read, "sweeps")) {
    sweep <- lineup$sweeps[[i]]
    place <- paste0("sweeps[", i, "]")
    base <- match(sweep$of, ids)
    # A pipeline with a problem of its own may be the one that is meant.
    if (is.na(base) && length(sound) < length(pipelines)) next
    if (is.na(base)) {
      note(paste0(place, ".of"), quoted(sweep$of), paste("one of the pipelines:", paste(ids, collapse = ", ")), nearest_word(sweep$of, ids))
      next
    }
    about <- engines[[pipelines[[base]]$engine]]$about
    if (is.null(about)) next
    known <- c(if (!is.null(about$hold)) "hold", names(about$settings))
    if (!sweep$vary %in% known) {
      note(paste0(place, ".vary"), quoted(sweep$vary), paste0("what ", about$name, " takes: ", paste(known, collapse = ", ")), nearest_word(sweep$vary, known))
      next
    }
    range <- if (sweep$vary == "hold") c(0, 1) else about$settings[[sweep$vary]]
    for (j in seq_along(sweep$over)) {
      value <- sweep$over[[j]]
      if (value < range[1] || value > range[2]) {
        note(paste0(place, ".over[", j, "]"), show_value(value), paste("a number from", range[1], "to", range[2]))
      }
    }
  }
  problems <- place_problems(bind_problems(problems), read$line)
  if (nrow(problems) + nrow(read$problems) > 0 || is.null(lineup)) {
    return(problems)
  }
  same <- same_recipes(build_lineup(lineup, engines)$pipelines, engines)
  place_problems(bind_problems(lapply(same, function(pair) {
    new_problem("lineup.yml", "pipelines", paste(pair, collapse = " and "), "pipelines that differ in something: these two are one and the same")
  })), read$line)
}

pipeline_problems <- function(pipeline, place, engines, described) {
  file <- "lineup.yml"
  about <- engines[[pipeline$engine]]$about
  if (is.null(about)) {
    # An engine that is described but can't be had is a problem of its own.
    if (pipeline$engine %in% described) return(no_problems())
    known <- union(described, names(engines))
    return(new_problem(file, paste0(place, ".engine"), quoted(pipeline$engine), paste("one of the engines:", paste(known, collapse = ", ")), nearest_word(pipeline$engine, known)))
  }
  problems <- list()
  note <- function(name, ...) problems[[length(problems) + 1]] <<- new_problem(file, paste0(place, ".", name), ...)
  checkpoints <- names(about$checkpoints)
  if (is.null(pipeline$checkpoint)) {
    if (length(checkpoints) > 1) note("checkpoint", "nothing", paste0("one of ", about$name, "'s checkpoints: ", paste(checkpoints, collapse = ", ")))
  } else if (!pipeline$checkpoint %in% checkpoints) {
    note("checkpoint", quoted(pipeline$checkpoint), paste0("one of ", about$name, "'s checkpoints: ", paste(checkpoints, collapse = ", ")), nearest_word(pipeline$checkpoint, checkpoints))
  }
  if (is.null(about$hold) && !is.null(pipeline$hold)) note("hold", show_value(pipeline$hold), paste0("no hold: ", about$name, " has no such knob"))
  if (!is.null(about$hold) && is.null(pipeline$hold)) note("hold", "nothing", "a number from 0 (lets the reference go) to 1 (keeps it)")
  for (name in names(pipeline$settings)) {
    value <- pipeline$settings[[name]]
    range <- about$settings[[name]]
    if (!name %in% names(about$settings)) {
      note(paste0("settings.", name), "a setting that the engine does not take", paste0("what ", about$name, " takes: ", paste(names(about$settings), collapse = ", ")), nearest_word(name, names(about$settings)))
    } else if (is.numeric(range) && length(range) == 2 && !(is.numeric(value) && value >= range[1] && value <= range[2])) {
      note(paste0("settings.", name), show_value(value), paste("a number from", range[1], "to", range[2]))
    }
  }
  bind_problems(problems)
}

# All pipelines, sweeps unfolded: a tibble with `pipeline`, `engine`,
# `checkpoint`, `hold`, `settings` (a list column), `native_hold`, and for
# members of a sweep its `sweep` (the pipeline that is varied), `vary`, `value`.
build_lineup <- function(lineup, engines) {
  base <- lapply(lineup$pipelines, build_pipeline, engines = engines)
  swept <- unlist(lapply(lineup$sweeps, function(sweep) {
    from <- base[[match(sweep$of, vapply(base, `[[`, "", "pipeline"))]]
    own <- if (sweep$vary == "hold") from$hold else from$settings[[sweep$vary]]
    lapply(setdiff(unlist(sweep$over), own), vary_pipeline, from = from, vary = sweep$vary)
  }), recursive = FALSE)
  # A sweep runs through its own pipeline too, under that one's name.
  for (sweep in lineup$sweeps) {
    i <- match(sweep$of, vapply(base, `[[`, "", "pipeline"))
    base[[i]]$sweep <- base[[i]]$pipeline
    base[[i]]$vary <- sweep$vary
    base[[i]]$value <- if (sweep$vary == "hold") base[[i]]$hold else as.numeric(base[[i]]$settings[[sweep$vary]] %||% NA)
  }
  rows <- lapply(c(base, swept), function(one) {
    one$settings <- list(one$settings)
    about <- engines[[one$engine]]$about
    tibble::as_tibble(c(one, native_hold = to_native_hold(one$hold, about)))
  })
  list(engines = engines[unique(vapply(base, `[[`, "", "engine"))], pipelines = do.call(rbind, rows))
}

build_pipeline <- function(pipeline, engines) {
  list(
    pipeline = pipeline$id, engine = pipeline$engine,
    checkpoint = pipeline$checkpoint %||% names(engines[[pipeline$engine]]$about$checkpoints)[1],
    hold = pipeline$hold %||% NA_real_,
    settings = sort_settings(pipeline$settings),
    sweep = NA_character_, vary = NA_character_, value = NA_real_
  )
}

vary_pipeline <- function(value, from, vary) {
  from$sweep <- from$pipeline
  from$pipeline <- paste0(from$pipeline, "/", vary, "=", format(value, digits = 6))
  from$vary <- vary
  from$value <- value
  if (vary == "hold") from$hold <- value else from$settings[[vary]] <- value
  from$settings <- sort_settings(from$settings)
  from
}

sort_settings <- function(settings) {
  if (length(settings) == 0) list() else settings[order(names(settings))]
}

# Pairs of pipelines that ask the same engine for the same: what an engine calls
# itself counts, not the name that the lineup gives it.
same_recipes <- function(pipelines, engines) {
  keys <- vapply(seq_len(nrow(pipelines)), function(i) recipe_hash(pipelines[i, ], engines), "")
  lapply(which(duplicated(keys)), function(i) pipelines$pipeline[c(match(keys[i], keys), i)])
}
