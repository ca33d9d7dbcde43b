# Calibration of hold, on the command line.

cli_calibrate <- function(given) {
  trial <- read_shown(given$places)
  able <- names(
    Filter(
      function(engine) !is.null(engine$about$hold) && !is_by_hand(engine),
      trial$lineup$engines
    )
  )
  names <- split_files(given$engine) %||% able
  unable <- setdiff(names, able)
  if (length(unable)) {
    stop_sprenn(
      "argument",
      c(
        paste0("Can't calibrate ", shorten_list(unable), "."),
        i = paste(
          "Engines whose knob can be calibrated:",
          paste(able, collapse = ", ")
        )
      )
    )
  }

  cases <- split_files(given$case)
  calibrate <- function(name) {
    calibrate_on(
      trial,
      name,
      cases,
      rungs = given$rungs,
      progress = progress_bar("climbing")
    )
  }

  pictures <- given$rungs * length(cases %||% 1:2) * min(3, length(trial$suite$seeds))
  if (given$json) {
    found <- lapply(stats::setNames(nm = names), function(name) {
      if (given$dry) {
        about <- trial$lineup$engines[[name]]$about
        return(list(
          pictures = pictures,
          cost = pictures * about$price,
          seconds = null_for_na(pictures * about$seconds)
        ))
      }

      unclass(calibrate(name))[c("version", "checkpoint", "reach", "curve", "rungs")]
    })
    if (!given$dry) {
      forget_steps(trial$folder, names)
    }

    return(tell_json(found))
  }

  for (name in names) {
    about <- trial$lineup$engines[[name]]$about
    cat(
      name, ": ", pictures, " pictures, about ", two(pictures * about$price),
      " in cost",
      if (!is.na(about$seconds)) paste0(" and ", ceiling(pictures * about$seconds), " s"),
      ".\n",
      sep = ""
    )
    if (!given$dry) {
      cat(format(calibrate(name)), "", sep = "\n")
    }
  }

  if (!given$dry) {
    # Only now: if it is stopped at the last engine, the first ones are not made again.
    forget_steps(trial$folder, names)
    cat(
      "The curves are in ", file.path(given$places, "lineup.yml"),
      " under `calibrations`; delete one to use the plain scale again.\n",
      sep = ""
    )
    next_steps(paste("sprenn plan", shell_path(given$places)))
  }

  0L
}
