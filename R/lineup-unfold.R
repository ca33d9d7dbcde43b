# Pipelines out of the entries of a lineup: chains as their steps, and sweeps (a pipeline with one
# of its fields varied, or all combinations of several) as their members.

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
  written <- Filter(function(step) !isTRUE(step$skip), written_steps(pipeline))
  steps <- lapply(seq_along(written), function(k) build_step(written[[k]], k, engines))
  c(
    list(pipeline = pipeline$id),
    steps[[1]],
    list(
      steps = steps[-1],
      jobs = unlist(pipeline$jobs) %||% jobs,
      if_missing = pipeline$if_missing %||% "stop",
      sweep = NA_character_,
      varied = list(),
      vary = NA_character_,
      value = NA_real_
    )
  )
}

build_step <- function(step, stage, engines) {
  list(
    engine = step$engine,
    checkpoint = step$checkpoint %||% names(engines[[step$engine]]$about$checkpoints)[1],
    hold = as.numeric(step$hold %||% NA),
    settings = sort_by_name(step$settings),
    add_ons = sort_by_name(step$add_ons),
    gives = step_gives(step, stage)
  )
}

# The values of a sweep by their paths.
sweep_values <- function(sweep) sweep$grid %||% stats::setNames(list(sweep$over), sweep$vary)

# The `members` of a sweep, built, and its `base`: the pipeline that is varied, which is one of
# them. `written` is that pipeline as it is written.
unfold_sweep <- function(sweep, written, base, engines) {
  values <- sweep_values(sweep)
  written <- write_out_step(written)
  parts <- lapply(names(values), path_parts, written, engines)
  single <- length(values) == 1
  base$sweep <- base$pipeline
  names(values) <- vapply(parts, plain_path, "")
  own <- stats::setNames(
    lapply(parts, function(one) own_value(written, one, engines)),
    names(values)
  )
  base$varied <- utils::modifyList(base$varied, own)
  if (single) {
    base$vary <- names(values)
    base$value <- number_or_na(own[[1]])
  }

  members <- lapply(combine_values(values), function(chosen) {
    varied <- written
    for (k in seq_along(chosen)) {
      varied <- with_value_at(varied, parts[[k]], chosen[[k]])
    }

    built <- build_pipeline(varied, engines)
    if (identical(made_of(built), made_of(base))) {
      return(NULL)
    }

    built$sweep <- base$pipeline
    built$jobs <- unlist(sweep$jobs) %||% built$jobs
    built$pipeline <- paste0(base$pipeline, "/", varied_words(chosen))
    names(chosen) <- names(values)
    built$varied <- chosen
    if (single) {
      built$vary <- names(values)
      built$value <- number_or_na(chosen[[1]])
    }

    built
  })
  list(base = base, members = Filter(Negate(is.null), members))
}

# A path as results show it: a setting of an engine by its name alone.
plain_path <- function(parts) {
  paste(parts[parts != "settings" | seq_along(parts) == length(parts)], collapse = ".")
}

# What a pipeline has at a path itself: its first checkpoint if it names none, NA if it leaves the
# value to the case or the engine.
own_value <- function(written, parts, engines) {
  value <- value_at(written, parts)
  if (is.null(value) && parts[length(parts)] == "checkpoint") {
    engine <- value_at(written, c(parts[-length(parts)], "engine"))
    value <- names(engines[[engine]]$about$checkpoints)[1]
  }

  if (is.list(value)) {
    return(if (identical(names(value), "weight")) value$weight else changes_words(value))
  }

  value %||% NA
}

made_of <- function(built) {
  built[c("engine", "checkpoint", "hold", "settings", "add_ons", "gives", "steps")]
}

# Every combination of the values, each as a named list.
combine_values <- function(values) {
  places <- expand.grid(rev(lapply(values, seq_along)))[, rev(seq_along(values)), drop = FALSE]
  lapply(seq_len(nrow(places)), function(i) {
    Map(function(some, k) some[[k]], values, unlist(places[i, ]))
  })
}

# The values in the name of a pipeline; a long text is cut, and told apart by its hash.
varied_words <- function(chosen) {
  shown <- vapply(
    chosen,
    function(value) {
      if (is.numeric(value)) {
        return(format(value, digits = 6))
      }

      text <- tolower_if_flag(value)
      if (nchar(text) > longest_shown) {
        text <- paste0(substr(text, 1, longest_shown - 5), "~", substr(hash_of(text), 1, 4))
      }

      text
    },
    ""
  )
  paste0(names(chosen), "=", shown, collapse = ",")
}

longest_shown <- 40

tolower_if_flag <- function(value) {
  if (is.logical(value)) tolower(as.character(value)) else as.character(value)
}

number_or_na <- function(value) if (is.numeric(value)) as.numeric(value) else NA_real_
