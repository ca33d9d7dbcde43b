# A verdict in words: the same sentences in the terminal and in the report.

verdict_words <- function(verdict) {
  list(
    headline = headline_words(verdict),
    standing = standing_words(verdict),
    why = if (verdict$state == "decided") "Why" else paste("Reasons for", verdict$best),
    reasons = reason_words(verdict),
    caveats = caveat_words(verdict),
    change = change_words(verdict),
    assumed = assumed_words(verdict),
    recipe = recipe_words(verdict)
  )
}

headline_words <- function(verdict) {
  wanted <- percent(verdict$brief$confidence)
  chance <- words_below(verdict$confidence, verdict$brief$confidence)
  switch(verdict$state,
    "decided" = if (nrow(verdict$pipelines) == 1 && verdict$pipelines$keepers < 0.5) {
      paste0("There is only ", verdict$best, ", and most of its takes can't be used.")
    } else {
      paste0("Use ", verdict$best, ".")
    },
    "too close" = if (is_level(verdict)) {
      paste0(
        "Not decided: ", verdict$best, " and ", verdict$runner_up,
        " gave the same results in every case."
      )
    } else {
      paste0(
        "Not decided yet: ", verdict$best, " leads, but the chance that it is ",
        aim_words(verdict), " is ", chance, ", and the brief wants ", wanted, "."
      )
    },
    "too few cases" = paste0(
      "Not decided: ", verdict$best, " leads, but ", few_pictures_words(verdict$pictures),
      if (verdict$pictures$cases == 1) " is" else " are", " too few to generalise from; at least ",
      fewest_cases, " of them are needed."
    ),
    "unfinished" = paste0(
      "Not decided: ", sum(verdict$table$state == "planned"), " of ",
      nrow(verdict$table), " takes are still missing; so far ", verdict$best,
      " leads."
    ),
    "no keepers" = paste0(
      "No pipeline can be used: none has a take that clears every floor of the brief without a ",
      "serious flaw."
    ),
    "no evidence" = no_evidence_words(verdict),
    "nothing made" = "Nothing to choose from: no take has been made yet."
  )
}

# Whether the two that lead can't be told apart at all: the same throughout.
is_level <- function(verdict) {
  pair <- c(verdict$best, verdict$runner_up)
  drawn <- verdict$draws$worth
  known <- length(pair) == 2 && all(pair %in% rownames(drawn))
  known && isTRUE(all(drawn[pair[1], ] == drawn[pair[2], ]))
}

# States in which there is no leader to speak of.
leaderless <- c("nothing made", "no evidence", "no keepers")

few_pictures_words <- function(pictures) {
  if (pictures$independent == pictures$cases) {
    return(count_words(pictures$cases, "case"))
  }

  of <- if (pictures$references == pictures$independent) "reference" else "look"
  paste(count_words(pictures$cases, "case"), "of", count_words(pictures$independent, of))
}

# The evidence that is missing before there can be a verdict.
no_evidence_words <- function(verdict) {
  brief <- verdict$brief
  floored <- intersect(names(verdict$unchecked), names(brief$floors)[!is.na(brief$floors)])
  weighed <- names(brief$weights)[brief$weights > 0]
  paste0(
    "No verdict: no case has evidence for ",
    if (length(floored)) {
      paste0(listed(floored), ", on which the brief sets a floor.")
    } else {
      paste0(listed(weighed), ", which is all that the brief weighs.")
    },
    " ",
    missing_evidence_words(if (length(floored)) floored else weighed)
  )
}

missing_evidence_words <- function(axes) {
  paste(
    c(
      if ("adherence" %in% axes) {
        "Give the phrases probes or a judge (`sprenn evidence` says which lack one)."
      },
      if ("style" %in% axes) {
        "Give the cases a look, or change what the brief wants of style."
      },
      if ("structure" %in% axes) "Give the cases references.",
      "Or change the brief."
    ),
    collapse = " "
  )
}

standing_words <- function(verdict) {
  if (verdict$state %in% leaderless) {
    return(character())
  }

  if (nrow(verdict$pipelines) == 1) {
    own <- verdict$pipelines
    return(paste0(
      "It is the only pipeline of the lineup, so there was nothing to choose between. ",
      with_interval(own$keepers, own$keepers_low, own$keepers_high, percent),
      " of its takes are keepers."
    ))
  }

  lead <- if (!is_level(verdict)) lead_words(verdict)
  c(
    if (verdict$state == "decided") {
      c(
        paste0(
          "Chance that it is ", aim_words(verdict), " of ", nrow(verdict$pipelines), ": ",
          chance_words(verdict$confidence), " (the brief wants ",
          percent(verdict$brief$confidence), ")."
        ),
        close_words(verdict),
        lead
      )
    } else {
      c(lead, race_words(verdict))
    },
    if (verdict$state == "too close") settle_words(verdict),
    if (verdict$state == "unfinished") missing_words(verdict)
  )
}

# Pipelines that may still be the best. For one without takes nothing can be said.
race_words <- function(verdict) {
  others <- setdiff(verdict$in_the_race, verdict$best)
  chance <- verdict$pipelines$chance_best[match(others, verdict$pipelines$pipeline)]
  others <- others[!is.na(chance)]
  chances <- chance_words(chance[!is.na(chance)])
  c(
    if (length(others)) {
      paste0("Still in the race: ", shorten_list(paste0(others, " (", chances, ")"), 5), ".")
    },
    if (!is.null(verdict$engines)) {
      paste0(
        "Chance that the best is one of an engine's: ",
        shorten_list(paste(names(verdict$engines), chance_words(verdict$engines)), 5),
        "."
      )
    }
  )
}

# A preference may put another in front than the one that leads.
lead_words <- function(verdict) {
  margin <- verdict$margin
  if (is.na(margin[1])) {
    return(NULL)
  }

  said <- if (margin[1] < 0) {
    paste0(
      "It is worth ", signed(margin[1]), " of a take less than ", verdict$runner_up,
      ", which leads ("
    )
  } else {
    paste0(
      "Lead over the runner-up, ", verdict$runner_up, ": ", signed(margin[1]),
      " of a take's worth ("
    )
  }
  paste0(
    sub("worth -", "worth ", said, fixed = TRUE),
    if (!is.na(margin[2])) {
      least <- if (margin[1] < 0 && margin[2] < 0) {
        paste("at most", sub("^[+-]", "", signed(margin[2])), "less")
      } else {
        paste("at least", signed(margin[2]))
      }
      paste0(least, " with a chance of ", percent(verdict$brief$confidence), "; ")
    },
    "a perfect take is worth 1)."
  )
}

# The brief's requirements for the chosen pipeline.
aim_words <- function(verdict) {
  within <- close_enough_of(verdict$brief)
  if (within > 0) {
    paste("within", format(within), "of the best")
  } else {
    "the best"
  }
}

# Other pipelines that are close enough, and why this one was chosen.
close_words <- function(verdict) {
  others <- setdiff(verdict$close, verdict$best)
  if (length(others) == 0 || close_enough_of(verdict$brief) <= 0) {
    return(NULL)
  }

  chance <- verdict$pipelines$chance_close[match(others, verdict$pipelines$pipeline)]
  why <- switch(verdict$brief$prefer %||% "better",
    cheaper = "the cheapest of them",
    faster = "the fastest of them",
    "the best of them so far"
  )
  paste0(
    "Equally close, with the same certainty: ",
    shorten_list(paste0(others, " (", chance_words(chance), ")"), 5),
    ". ", verdict$best, " is ", why, "."
  )
}

# Where the brief's jobs want different pipelines.
disagreement_words <- function(jobs, verdicts) {
  best <- vapply(verdicts, function(verdict) verdict$best %||% NA_character_, "")
  if (length(unique(best)) > 1) {
    decided <- vapply(verdicts, function(verdict) verdict$state == "decided", NA)
    usable <- vapply(verdicts, function(verdict) !verdict$state %in% leaderless, NA)
    said <- ifelse(
      !usable,
      "none can be used yet",
      ifelse(decided, paste("use", best), paste(best, "leads, not decided"))
    )
    paste0(
      "The jobs disagree: ", paste0("for ", jobs, " ", said, collapse = "; "),
      ". No pipeline is the best for all."
    )
  }
}

# Pipelines with missing takes. Wait for an engine that is down, or leave it out.
missing_words <- function(verdict) {
  lacking <- table(
    factor(verdict$table$pipeline[verdict$table$state == "planned"], verdict$pipelines$pipeline)
  )
  all <- table(factor(verdict$table$pipeline, verdict$pipelines$pipeline))
  lacking <- lacking[lacking > 0]
  none <- names(lacking)[lacking == all[names(lacking)]]
  share <- ifelse(
    lacking == all[names(lacking)],
    paste("all", lacking, "takes"),
    paste(lacking, "of", all[names(lacking)], "takes")
  )
  c(
    paste0(
      "Missing: ",
      shorten_list(paste(share, "of", names(lacking)), 6),
      "; `sprenn run` continues with them."
    ),
    if (length(none) && length(lacking) < nrow(verdict$pipelines)) {
      paste0(
        "To choose among the others now, leave out what is unavailable: --without ",
        paste(none, collapse = ","), "."
      )
    }
  )
}

#' @export
format.sprenn_verdict <- function(x, width = 100, ...) {
  words <- verdict_words(x)
  wrap <- function(text, first = "", rest = first) {
    # A number stays with its sign.
    text <- gsub("([0-9]) %", "\\1\u00a0%", text)
    gsub(
      "\u00a0",
      " ",
      unlist(lapply(text, strwrap, width = width, initial = first, prefix = rest)),
      fixed = TRUE
    )
  }

  section <- function(title, text) if (length(text)) c("", title, wrap(text, "  - ", "    "))
  c(
    wrap(words$headline),
    wrap(words$standing),
    section(words$why, words$reasons),
    section("Caveats", words$caveats),
    section("What would change it", words$change),
    section("What it is based on", words$assumed),
    if (!is.null(x$pipelines)) c("", verdict_table(x)),
    if (length(words$recipe)) {
      c("", paste0("To use ", x$best, ", in lineup.yml:"), paste0("  ", words$recipe))
    }
  )
}

#' @export
print.sprenn_verdict <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}

#' @export
summary.sprenn_verdict <- function(object, ...) object$pipelines

verdict_table <- function(verdict) {
  rows <- verdict$pipelines
  chance <- if (nrow(rows) > 1) chance_words(rows$chance_close) else "-"
  text_table(c(
    list(
      "pipeline" = rows$pipeline,
      "worth (90 % interval)" = with_interval(
        rows$worth,
        rows$worth_low,
        rows$worth_high
      ),
      "structure" = two(rows$structure),
      "adherence" = two(rows$adherence),
      "style" = two(rows$style),
      "keepers" = percent(rows$keepers)
    ),
    stats::setNames(list(chance), chance_title(verdict$brief)),
    list("cost/keeper" = small_sum(rows$cost_per_keeper))
  ))
}

# The heading of the chances in a table.
chance_title <- function(brief) {
  within <- close_enough_of(brief)
  if (within > 0) paste("within", format(within)) else "chance"
}

changed_suite_words <- function(changed, run) {
  if (length(changed)) {
    paste0(
      "The suite has changed since run ", run, " was last begun (", shorten_list(changed, 6),
      "); `sprenn run` brings it up to date."
    )
  }
}

# Which pipelines were left out while the run was made.
left_out_words <- function(left_out) {
  if (length(left_out)) {
    paste0(
      shorten_list(left_out), if (length(left_out) == 1) " was" else " were",
      " left out while the run was made, and", if (length(left_out) == 1) " is" else " are",
      " not compared."
    )
  }
}

# Which pipelines could not be compared, since nothing is known about their engine.
not_compared_words <- function(unreached) {
  used <- Filter(function(i) length(unreached$pipelines[[i]]) > 0, seq_len(NROW(unreached)))
  vapply(
    used,
    function(i) {
      paste0(
        shorten_list(unreached$pipelines[[i]]), " could not be compared: engine ",
        unreached$engine[i], " could not be used."
      )
    },
    ""
  )
}
