#' Calibrate an engine's hold
#'
#' Makes pictures at several settings of the engine's own knob, for a few cases of the suite,
#' measures how much of the reference's structure each keeps, and fits the curve that makes hold
#' mean the same on every engine: at hold 0.5 about half of the structure is kept. It starts with
#' five settings and adds the others where structure changes fastest. What was measured is kept in
#' the trial until it is done: if it is stopped, the same call continues it.
#'
#' @inheritParams plan_run
#' @param engine The engine's name in lineup.yml.
#' @param cases Ids of the cases to use; the first two with a reference if `NULL`.
#' @param seeds Seeds to use; the suite's first three if `NULL`.
#' @param checkpoint,settings Of the engine; its first pipeline's if `NULL`.
#' @param rungs The number of settings to try, 5 to 33; of a knob with named positions, each is
#'   tried once.
#' @param save Whether the curve is written into lineup.yml, under `calibrations`.
#' @param progress A function called with `done`, `total`, `failed` and
#'   `seconds` after every picture, or `NULL`.
#' @return An object of class `sprenn_calibration`, a list: `engine`,
#'   `checkpoint`, `version`, `curve` (a data frame of `hold` and `knob`), `ladder` (a
#'   data frame with `knob`, `case`, `seed`, `structure`, `cost`), `rungs` (a data frame
#'   with `knob`, `structure`, the rising fit) and `reach`, the least and the most
#'   structure that the engine keeps.
#' @section Errors: `sprenn_error_calibration` when too few pictures could be made
#'   or the knob does not change structure.
#' @source Isotonic regression by pooling adjacent violators (Ayer et al. 1955),
#'   inverted.
#' @family engines
#' @export
#' @examples
#' folder <- file.path(tempdir(), "calibrate-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' calibrate_engine(folder, "bracken", seeds = 1, rungs = 5, save = FALSE)
#' unlink(folder, recursive = TRUE)
calibrate_engine <- function(
  trial,
  engine,
  cases = NULL,
  seeds = NULL,
  checkpoint = NULL,
  settings = NULL,
  rungs = 10,
  save = TRUE,
  progress = NULL
) {
  trial <- as_trial(trial)
  result <- calibrate_on(
    trial, engine, cases, seeds, checkpoint, settings, rungs, save, progress
  )
  forget_steps(trial$folder, engine)
  result
}

# The same without forgetting its steps.
calibrate_on <- function(
  trial,
  engine,
  cases = NULL,
  seeds = NULL,
  checkpoint = NULL,
  settings = NULL,
  rungs = 10,
  save = TRUE,
  progress = NULL
) {
  check_arguments(
    engine = checkmate::check_choice(engine, names(trial$lineup$engines)),
    rungs = checkmate::check_int(rungs, lower = 5, upper = 33),
    cases = checkmate::check_character(cases, any.missing = FALSE, min.len = 1, null.ok = TRUE),
    seeds = checkmate::check_integerish(
      seeds,
      lower = 0,
      any.missing = FALSE,
      min.len = 1,
      null.ok = TRUE
    ),
    save = checkmate::check_flag(save),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  made_by <- trial$lineup$engines[[engine]]
  if (is.null(made_by$about$hold) || is_by_hand(made_by)) {
    stop_sprenn(
      "calibration",
      c(
        paste0(engine, " can't be calibrated."),
        i = if (is_by_hand(made_by)) {
          "A person makes its pictures."
        } else {
          "It has no knob for hold."
        }
      )
    )
  }

  cases <- calibration_cases(trial, cases, made_by)
  seeds <- as.integer(seeds %||% utils::head(trial$suite$seeds, 3))
  pipeline <- calibration_pipeline(trial, engine, checkpoint, settings)
  kept <- kept_steps(trial$folder, engine, made_by)
  ladder <- climb_ladder(trial, made_by, pipeline, cases, seeds, rungs, kept, progress)
  result <- tryCatch(fit_calibration(ladder, made_by$about$hold), sprenn_error = function(e) {
    # The same steps would not do the next time either.
    forget_steps(trial$folder, engine)
    stop(e)
  })
  result <- c(
    list(engine = engine, checkpoint = pipeline$checkpoint, version = made_by$about$version),
    result
  )
  if (save) {
    write_calibration(trial$folder, result)
  }

  structure(result, class = "sprenn_calibration")
}

calibration_cases <- function(trial, ids, engine) {
  all <- trial$suite$cases
  names(all) <- vapply(all, `[[`, "", "id")
  fits <- Filter(
    function(case) length(case$references) == 1 && is.null(case$mask) && !any(case$grow > 0),
    all
  )
  # Layout has to be worth something in them.
  fits <- fits[order(!vapply(fits, `[[`, "", "job") %in% layout_jobs)]
  ids <- ids %||% utils::head(names(fits), 2)
  if (length(ids) == 0 || !all(ids %in% names(fits))) {
    unknown <- setdiff(ids, names(fits))
    stop_sprenn(
      "calibration",
      c(
        if (length(unknown)) {
          paste0("These cases can't be used: ", shorten_list(unknown), ".")
        } else {
          "The suite has no case to calibrate on."
        },
        i = paste(
          "It takes cases with one reference and no mask:",
          if (length(fits)) shorten_list(names(fits)) else "there is none"
        )
      )
    )
  }

  fits[ids]
}

calibration_pipeline <- function(trial, engine, checkpoint, settings) {
  own <- trial$lineup$pipelines[trial$lineup$pipelines$engine == engine, ]
  about <- trial$lineup$engines[[engine]]$about
  pipeline <- new_table(
    pipeline = "calibration",
    engine = engine,
    checkpoint = checkpoint %||% if (nrow(own)) {
      own$checkpoint[1]
    } else {
      names(about$checkpoints)[1]
    },
    hold = NA_real_,
    settings = list(settings %||% if (nrow(own)) own$settings[[1]] else list()),
    add_ons = list(list()),
    gives = list(list()),
    stage = 1L
  )
  check_arguments(
    checkpoint = checkmate::check_choice(pipeline$checkpoint, names(about$checkpoints))
  )
  pipeline
}

# The ladder, rung by rung: `at` (0 to 1 along the knob), `knob`, `case`, `seed`,
# `structure` and `cost`. What fails leaves a gap.
climb_ladder <- function(trial, engine, pipeline, cases, seeds, rungs, kept, progress) {
  makers <- list(
    trial = trial,
    engine = engine,
    pipeline = pipeline,
    cases = cases,
    seeds = seeds,
    kept = kept,
    inputs = cache_of_pictures()
  )
  began <- clock()
  if (!is.null(engine$about$hold_words)) {
    rungs <- length(engine$about$hold_words)
  }

  total <- rungs * length(cases) * length(seeds)
  tell <- function(ladder, failed) {
    if (!is.null(progress)) {
      progress(
        done = min(total, NROW(ladder) + failed),
        total = total,
        failed = failed,
        seconds = clock() - began
      )
    }
  }

  ladder <- NULL
  failed <- 0
  next_rungs <- first_rungs(engine)
  while (length(next_rungs)) {
    rung <- climb_rung(next_rungs[1], makers, function(made, missed) {
      tell(rbind(ladder, made), failed + missed)
    })
    ladder <- rbind(ladder, rung$made)
    failed <- failed + length(rung$failures)
    if (NROW(ladder) == 0) {
      stop_for_ladder(engine, utils::tail(rung$failures, 1)[[1]])
    }

    next_rungs <- next_rungs[-1]
    climbed <- length(unique(ladder$at))
    if (length(next_rungs) == 0 && climbed < rungs && failed <= total / 2) {
      next_rungs <- steepest_gap(ladder)
    }
  }

  ladder[order(ladder$at), ]
}

# Where positions have names, every one of them is a rung.
first_rungs <- function(engine) {
  positions <- length(engine$about$hold_words)
  if (positions) seq(0, 1, length.out = positions) else c(0, 1, 0.5, 0.25, 0.75)
}

# Every case and seed at one place of hold: a table of what was `made`, and the `failures`.
climb_rung <- function(at, makers, tell) {
  made <- NULL
  failures <- list()
  for (case in makers$cases) {
    for (seed in makers$seeds) {
      step <- make_at(at, case, seed, makers)
      if (inherits(step, "condition")) {
        failures <- c(failures, list(step))
      } else {
        made <- rbind(made, step)
      }

      tell(made, length(failures))
    }
  }

  list(made = made, failures = failures)
}

# One take at a place of hold and what structure it kept, or the failure to make it. It is not made
# again if the calibration was stopped after it.
make_at <- function(at, case, seed, makers) {
  take <- new_table(
    take = fresh_key(),
    pipeline = "calibration",
    case = case$id,
    seed = seed,
    attempt = 1L,
    control = NA_character_,
    parent = NA_character_
  )
  request <- request_for(makers$trial, makers$pipeline, makers$engine, take, makers$inputs)
  knob <- to_knob(at, makers$engine$about$hold)
  request$native_hold <- knob_value(knob, makers$engine$about)
  request$key <- makers$kept$key_of(request)
  step <- makers$kept$get(request$key)
  if (is.null(step)) {
    made <- tryCatch(make_patiently(makers$engine, request), sprenn_failure = identity)
    if (inherits(made, "condition")) {
      if (made$kind == "out_of_credit") {
        stop_for_ladder(makers$engine, made)
      }

      return(made)
    }

    step <- list(
      structure = structure_of(made$bytes, request, case$id, makers$inputs),
      cost = made$cost
    )
    makers$kept$add(request$key, step$structure, step$cost)
  }

  new_table(
    at = at,
    knob = knob,
    case = take$case,
    seed = seed,
    structure = step$structure,
    cost = as.numeric(step$cost %||% NA)
  )
}

stop_for_ladder <- function(engine, failure) {
  stop_sprenn(
    "calibration",
    c(
      paste0(engine$about$name, " can't be calibrated: it makes no pictures."),
      x = conditionMessage(failure),
      i = failure_words[[failure$kind]]
    )
  )
}

# The middle of the widest step in structure between two rungs.
steepest_gap <- function(ladder) {
  fit <- rising_fit(ladder)
  steps <- diff(fit$structure) * (diff(fit$at) > 1 / 128) + diff(fit$at) / 20
  i <- which.max(steps)
  mean(fit$at[i + 0:1])
}

rising_fit <- function(ladder) {
  # One picture that went astray is not the engine's knob.
  means <- tapply(ladder$structure, ladder$at, stats::median)
  at <- as.numeric(names(means))
  new_table(at = at, structure = cummax(stats::isoreg(at, means)$yf))
}

# Structure of a picture against the reference that it was made from.
structure_of <- function(bytes, request, case, inputs) {
  reference <- inputs$get(
    paste("view of", case),
    view_picture(request[["reference"]], part = "reference")
  )
  decoys <- inputs$get(
    paste(c("decoys", request$size), collapse = " "),
    lapply(draw_decoys(request$size), view_picture, frame = request$size, part = "decoy")
  )
  scene <- new_scene(
    view_picture(decode_picture(encoded_picture(bytes))),
    reference,
    decoys = decoys
  )
  clamp_share(measure_structure()$compute(scene)$value)
}

fit_calibration <- function(ladder, hold) {
  fit <- rising_fit(ladder)
  reach <- range(fit$structure)
  if (diff(reach) < 0.1) {
    stop_sprenn(
      "calibration",
      c(
        paste0(
          "The knob hardly changes structure: from ", two(reach[1]), " to ",
          two(reach[2]), "."
        ),
        i = "Check that `hold` in the engine's description names both ends of the knob."
      )
    )
  }

  # Where the fit is level, the firmer end of the level is meant only beyond it.
  wanted <- seq(0, 10) / 10
  rising <- fit$structure + seq_along(fit$at) * 1e-9
  at <- stats::approx(rising, fit$at, wanted, rule = 2)$y
  knob <- signif(to_knob(at, hold), 4)
  list(
    curve = new_table(hold = wanted, knob = knob),
    ladder = ladder[c("knob", "case", "seed", "structure", "cost")],
    rungs = new_table(knob = to_knob(fit$at, hold), structure = fit$structure),
    reach = reach
  )
}

#' @export
format.sprenn_calibration <- function(x, ...) {
  shown <- x$curve
  c(
    paste0(
      "<calibration of ", x$engine, "> version ", x$version, ", checkpoint ", x$checkpoint
    ),
    paste0(
      "  measured  ", nrow(x$ladder), " pictures on ",
      count_words(nrow(x$rungs), "value"), " of its knob, cost ",
      two(sum(x$ladder$cost, na.rm = TRUE))
    ),
    paste0("  reaches   structure ", two(x$reach[1]), " to ", two(x$reach[2])),
    paste0(
      "  hold      ",
      paste(formatC(shown$hold, format = "f", digits = 1, width = 6), collapse = " ")
    ),
    paste0(
      "  its knob  ",
      paste(formatC(shown$knob, format = "fg", digits = 4, width = 6), collapse = " ")
    )
  )
}

#' @export
print.sprenn_calibration <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}
