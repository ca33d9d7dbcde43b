# Curves, comparisons at equal structure, changes and portraits in words.

#' @export
format.sprenn_curves <- function(x, ...) {
  pooled <- x$curves[is.na(x$curves$case), ]
  first <- pooled[pooled$score == "structure", c("line", "value", "pipeline")]
  at <- function(score) {
    own <- pooled[pooled$score == score, ]
    own[match(first$pipeline, own$pipeline), ]
  }

  with_ends <- function(score) with_interval(at(score)$mean, at(score)$low, at(score)$high)
  c(
    text_table(
      stats::setNames(
        list(
          first$line,
          format_value(first$value),
          with_ends("structure"),
          two(at("adherence")$mean),
          two(at("style")$mean),
          with_ends("worth"),
          percent(at("keepers")$mean)
        ),
        c("pipelines", x$vary, "structure", "adherence", "style", "worth", "keepers")
      )
    ),
    "",
    unlist(lapply(feature_lines(x), strwrap, width = 100, initial = "  - ", prefix = "    ")),
    importance_words(x$settings)
  )
}

# The features of each line.
feature_lines <- function(curves) {
  vapply(
    seq_len(nrow(curves$features)),
    function(i) curve_words(curves$features[i, ], curves$verdict$brief),
    ""
  )
}

curve_words <- function(one, brief) {
  name <- function(value) format_value(value)
  window <- if (!any(!is.na(brief$floors))) {
    NULL
  } else if (is.na(one$window_from)) {
    "at no setting does it clear every floor on average"
  } else {
    paste(
      "every floor is cleared on average",
      window_words(one, "window", c(one$open_low, one$open_high))
    )
  }
  kept <- if (is.na(one$kept_from)) {
    "at no setting are four of five takes keepers"
  } else {
    paste(
      "four of five takes are keepers",
      window_words(one, "kept", c(one$kept_open_low, one$kept_open_high))
    )
  }
  cliff <- if (one$points < 3) {
    paste0("two points can't show a cliff")
  } else if (!is.na(one$cliff_from)) {
    paste0(
      "structure ", if (one$drop > 0) "rises" else "falls", " by ",
      two(abs(one$drop)), " (",
      two(min(abs(one$drop_low), abs(one$drop_high))),
      " to ",
      two(max(abs(one$drop_low), abs(one$drop_high))),
      ") between ", name(one$cliff_from), " and ", name(one$cliff_to),
      ": a cliff"
    )
  } else {
    "no cliff"
  }
  flat <- if (!is.na(one$flat_from)) {
    paste0("structure is flat from ", name(one$flat_from), " to ", name(one$flat_to))
  }
  best <- paste0(
    "highest worth at ",
    name(one$best),
    if (one$best_from < one$best_to) {
      paste0(" (the best is among ", name(one$best_from), " to ", name(one$best_to), ")")
    }
  )
  paste0(one$line, ": ", paste(c(best, window, kept, cliff, flat), collapse = "; "), ".")
}

# From where to where, with intervals of the ends that lie between settings.
window_words <- function(one, what, open) {
  end <- function(side, open, beyond) {
    at <- one[[paste0(what, "_", side)]]
    ends <- unlist(one[paste0(what, "_", side, c("_low", "_high"))])
    between <- !open && !anyNA(ends) && diff(signif(ends, 2)) > 0
    paste0(
      format_value(signif(at, 2)),
      if (open) beyond,
      if (between) {
        paste0(
          " (", format_value(signif(ends[1], 2)), " to ",
          format_value(signif(ends[2], 2)), ")"
        )
      }
    )
  }

  paste0("from ", end("from", open[1], " or below"), " to ", end("to", open[2], " or above"))
}

importance_words <- function(settings) {
  settings <- settings[settings$score == "worth" | settings$score == "structure", ]
  several <- settings$family %in%
    settings$family[duplicated(paste(settings$family, settings$score))]
  settings <- settings[several & settings$pairs > 0, ]
  if (nrow(settings) == 0) {
    return(character())
  }

  share <- function(x) ifelse(is.na(x), "-", paste0(round(100 * x), " %"))
  c(
    "",
    "Which setting matters: how far pipelines are apart that differ in nothing else, and for",
    "complete grids the share of variance:",
    paste0(
      "  ",
      text_table(list(
        pipelines = settings$family,
        setting = settings$setting,
        score = ifelse(settings$score == "worth", "worth", settings$score),
        moved = two(settings$moved),
        "90 % interval" = paste(two(settings$low), "to", two(settings$high)),
        pairs = as.character(settings$pairs),
        alone = share(settings$alone),
        "with others" = share(settings$in_all)
      ))
    )
  )
}

#' @export
format.sprenn_match <- function(x, ...) {
  if (nrow(x$table) == 0) {
    return(c(
      paste0("No sweep reaches a structure of ", two(x$at), "."),
      if (!is.na(x$shared[1])) {
        paste0("Most reach ", two(x$shared[1]), " to ", two(x$shared[2]), ".")
      }
    ))
  }

  rows <- x$table[!duplicated(x$table$line), c("line", "setting")]
  cell <- function(score) {
    own <- x$table[x$table$score == score, ]
    own <- own[match(rows$line, own$line), ]
    with_interval(own$mean, own$low, own$high)
  }

  areas <- x$areas[x$areas$score != "worth", ]
  # Where nothing is known of how a score varies, nothing is beyond luck.
  clear <- areas[(areas$low > 0 | areas$high < 0) %in% TRUE, ]
  c(
    paste0(
      "At a structure of ", two(x$at),
      ", interpolated between the settings tried (90 % intervals):"
    ),
    "",
    text_table(
      stats::setNames(
        list(
          rows$line,
          format_value(signif(rows$setting, 2)),
          cell("adherence"),
          cell("style"),
          cell("worth")
        ),
        c("pipelines", x$vary, "adherence", "style", "worth")
      )
    ),
    if (length(missing <- setdiff(unique(x$levels$line), rows$line))) {
      paste0("Never at that level: ", listed(missing), ".")
    },
    if (nrow(clear)) {
      c(
        "",
        "Over all levels that both reach:",
        unlist(lapply(seq_len(nrow(clear)), function(i) {
          one <- clear[i, ]
          ahead <- if (one$difference > 0) c(one$one, one$other) else c(one$other, one$one)
          paste0(
            "  - ", ahead[1], " is above ", ahead[2], " in ",
            one$score, " by ", two(abs(one$difference)), " (",
            two(min(abs(c(one$low, one$high)))),
            " to ",
            two(max(abs(c(one$low, one$high)))),
            ")."
          )
        }))
      )
    } else if (nrow(areas)) {
      c("", "Over all levels that both reach, no two differ significantly.")
    } else {
      c(
        "",
        "No two sweeps reach a level in common, so there is nothing to compare at equal structure."
      )
    }
  )
}

#' @export
print.sprenn_curves <- function(x, ...) print_lines(x)

#' @export
print.sprenn_match <- function(x, ...) print_lines(x)
