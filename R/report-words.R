# A verdict in words: the same sentences in the terminal and in the report.

verdict_words <- function(verdict) {
  list(
    headline = headline_words(verdict),
    standing = standing_words(verdict),
    why = if (verdict$state == "decided") "Why" else paste("What speaks for", verdict$best),
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
    "decided" = if (nrow(verdict$pipelines) == 1 && verdict$pipelines$yield < 0.5) {
      paste0("There is only ", verdict$best, ", and most of its takes can't be used.")
    } else {
      paste0("Use ", verdict$best, ".")
    },
    "too close" = if (is_level(verdict)) {
      paste0(
        "Not decided: ", verdict$best, " and ", verdict$runner_up,
        " did the same in every case."
      )
    } else {
      paste0(
        "Not decided yet: ", verdict$best, " leads, but the chance that it is ",
        aim_words(verdict), " is ", chance, ", and the brief wants ", wanted, "."
      )
    },
    "too few cases" = paste0(
      "Not decided: ", verdict$best, " leads, but ", few_pictures_words(verdict$pictures),
      " can't speak for other pictures; at least ", fewest_cases, " of them are needed."
    ),
    "unfinished" = paste0(
      "Not decided: ", sum(verdict$table$state == "planned"), " of ",
      nrow(verdict$table), " takes have not been made yet; so far ", verdict$best,
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
  drawn <- verdict$draws$utility
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

# What is missing before anything can be said.
no_evidence_words <- function(verdict) {
  brief <- verdict$brief
  floored <- intersect(names(verdict$unchecked), names(brief$floors)[!is.na(brief$floors)])
  weighed <- names(brief$weights)[brief$weights > 0]
  paste0(
    "Nothing can be said: no case has evidence for ",
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
        "Give the cases a look, or have the brief want another thing of style."
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
      with_interval(own$yield, own$yield_low, own$yield_high, percent),
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

# Who may still be the best, where nothing is decided. Of what has no take yet nobody can tell.
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

# What a pipeline has to be to be chosen.
aim_words <- function(verdict) {
  within <- close_enough_of(verdict$brief)
  if (within > 0) {
    paste("within", format(within), "of the best")
  } else {
    "the best"
  }
}

# Who else would do, and why this one.
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
    "As close, and as surely: ",
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
      ". No one pipeline is the best for all."
    )
  }
}

# Who lacks takes. An engine that is down is waited for, or left out.
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
      "; `sprenn run` goes on with them."
    ),
    if (length(none) && length(lacking) < nrow(verdict$pipelines)) {
      paste0(
        "To choose among the others now, leave out what can't be had: --without ",
        paste(none, collapse = ","), "."
      )
    }
  )
}

# What would settle it.
settle_words <- function(verdict) {
  loss <- verdict$pipelines$regret[1]
  more <- if (is_level(verdict)) {
    "Take the cheaper one, or see in lineup.yml whether they are meant to be the same."
  } else if (!is.null(verdict$needed)) {
    more_words(verdict)
  }
  c(
    more,
    if (!is_level(verdict)) near_words(verdict),
    if (isTRUE(loss > 0)) {
      paste0(
        "Who uses ", verdict$best, " now has to reckon with a loss of ",
        formatC(loss, format = "f", digits = 3), " of a take's worth on average."
      )
    }
  )
}

# What more of the same would do, foretold from what is known of the lead.
more_words <- function(verdict) {
  needed <- verdict$needed
  cases <- paste("About", count_words(needed$more_cases, "more case"))
  seeds <- paste("about", count_words(needed$more_seeds, "more seed"), "of each case")
  others <- verdict$pictures$independent < verdict$pictures$cases
  sure <- paste0(
    if (others) " of other pictures", " would settle it with a chance of ",
    percent(needed$sure)
  )
  if (!is.finite(needed$more_cases)) {
    return(paste0(
      verdict$best, " and ", verdict$runner_up, " are close: ", most_cases,
      " more cases would settle it with a chance of ",
      words_below(needed$with_cases, needed$sure),
      ". Take the cheaper one, or the one that people prefer."
    ))
  }

  if (is.na(needed$more_seeds)) {
    return(paste0(
      cases, sure,
      ". Whether more seeds would can't be told from one a case: make a second of each."
    ))
  }

  if (is.finite(needed$more_seeds)) {
    return(paste0(cases, sure, ", or ", seeds, "."))
  }

  paste0(
    cases, sure, ". More seeds hardly would: ", most_seeds,
    " more of each case would with a chance of ",
    words_below(needed$with_seeds, needed$sure), "."
  )
}

# Which cases decide, and which say nothing. Of one or two that is plain.
case_words <- function(verdict) {
  cases <- verdict$cases
  if (is.null(cases) || nrow(cases) < fewest_cases) {
    return(NULL)
  }

  silent <- cases[cases$spread < alike_within, ]
  if (nrow(silent) == nrow(cases)) {
    return(paste(
      "In no case do the pipelines differ by anything that counts:",
      "harder cases would say more."
    ))
  }

  half <- cases$case[seq_len(which(cumsum(cases$share) >= 0.5)[1])]
  kept <- ifelse(silent$keepers < 0.01, "no keepers", "as good on all")
  kept <- ifelse(silent$keepers > 0.99, "all keepers", kept)
  twins <- cases[!is.na(cases$twin), ]
  turns <- cases[!is.na(cases$leads), ]
  c(
    if (length(half) <= nrow(cases) / 4) {
      paste0("Half of all that tells the pipelines apart comes from ", shorten_list(half), ".")
    },
    if (nrow(silent)) {
      paste0(
        "Nothing is told by ", shorten_list(paste0(silent$case, " (", kept, ")")),
        ": harder cases would say more."
      )
    },
    if (nrow(twins)) {
      paste0("The same is told by ", shorten_list(paste(twins$case, "and", twins$twin)), ".")
    },
    if (verdict$state == "decided" && nrow(turns)) {
      without <- paste0("without ", turns$case, " (", turns$leads, ")")
      paste0("By plain means another would lead ", shorten_list(without), ".")
    },
    if (!is.null(verdict$useful)) {
      paste0("The most useful to add are cases of other ", verdict$useful, "s.")
    }
  )
}

# Where the leader is all but the best, the brief may let that do.
usually_close <- 0.03

near_words <- function(verdict) {
  chance <- chance_close(verdict$draws$utility, usually_close)[[verdict$best]]
  if (close_enough_of(verdict$brief) > 0 || !isTRUE(chance >= verdict$brief$confidence)) {
    return(NULL)
  }

  paste0(
    "That ", verdict$best, " is within ", usually_close, " of the best has a chance of ",
    chance_words(chance), ": where that will do, write `close_enough: ", usually_close,
    "` into the brief."
  )
}

# What would change it: other weights, and who is not beaten on every axis at once.
change_words <- function(verdict) {
  if (verdict$state %in% leaderless || nrow(verdict$pipelines) == 1) {
    return(character())
  }

  weighed <- names(verdict$brief$weights)[verdict$brief$weights > 0]
  # A preference may put another in front than the one that leads.
  leader <- verdict$pipelines$pipeline[which.max(verdict$pipelines$utility)]
  name <- if (leader == verdict$best) "It" else leader
  wins <- mean(verdict$weightings$winner == leader)
  flips <- verdict$flips
  first <- flips[1, ]
  unbeaten <- verdict$tradeoff$pipeline[verdict$tradeoff$unbeaten %in% TRUE]
  c(
    if (length(weighed) > 1 && nrow(flips) == 0 && !is_level(verdict)) {
      paste0("However ", shorten_list(weighed), " are weighed, ", leader, " leads.")
    },
    if (nrow(flips) > 0) {
      paste0(
        name, " leads under ", percent(wins), " of all ways to weigh ",
        shorten_list(weighed), ". The nearest that changes it: ", first$pipeline,
        " leads with ",
        paste(weighed, two(unlist(first[weighed])), collapse = ", "),
        " (", percent(first$moved), " of the weight moved)."
      )
    },
    if (length(unbeaten) > 1) {
      paste0("Nothing beats ", shorten_list(unbeaten, 6), " on every axis at once.")
    }
  )
}

reason_words <- function(verdict) {
  reasons <- verdict$reasons
  if (is.null(reasons) || verdict$state == "no keepers") {
    return(character())
  }

  speaking <- utils::head(reasons, 3)
  vapply(seq_len(nrow(speaking)), function(i) one_reason(speaking[i, ], verdict$brief), "")
}

one_reason <- function(reason, brief) {
  if (reason$what %in% c("cost_per_keeper", "seconds_per_keeper")) {
    return(saving_words(reason))
  }

  better <- is.na(reason$gain) || reason$gain > 0.005
  worse <- !is.na(reason$gain) && reason$gain < -0.005
  grade <- if (better) {
    1
  } else if (worse) {
    3
  } else {
    2
  }
  style <- if (identical(brief$style, "reach the look")) {
    c(
      "It goes towards the look",
      "It is level on going towards the look",
      "It gives way on going towards the look"
    )
  } else if (identical(brief$style, "stay")) {
    c(
      "It leaves the style alone",
      "It is level on leaving the style alone",
      "It gives way on leaving the style alone"
    )
  } else {
    c(
      "It changes the style by the amount wanted",
      "It is level on the amount of style change",
      "It gives way on the amount of style change"
    )
  }
  said <- switch(reason$what,
    structure = c(
      "It keeps the layout",
      "It is level on keeping the layout",
      "It gives way on keeping the layout"
    ),
    adherence = c(
      "It does what the prompts ask",
      "It is level on doing what the prompts ask",
      "It gives way on doing what the prompts ask"
    ),
    style = style,
    yield = c(
      "More of its takes can be used",
      "It is level on takes that can be used",
      "Fewer of its takes can be used"
    )
  )[grade]
  number <- if (reason$what == "yield") percent else two
  name <- if (reason$what == "yield") "keepers" else reason$what
  paste0(
    said, ": ", name, " ",
    with_interval(reason$value, reason$low, reason$high, number),
    if (!is.na(reason$against)) paste0("; the others' median is ", number(reason$against)),
    "."
  )
}

saving_words <- function(reason) {
  what <- if (reason$what == "cost_per_keeper") {
    c("A keeper costs ", "")
  } else {
    c("A keeper takes ", " s")
  }
  paste0(
    what[1],
    small_sum(reason$value),
    what[2],
    if (!is.na(reason$against)) {
      paste0("; the others' median is ", small_sum(reason$against), what[2])
    },
    "."
  )
}

caveat_words <- function(verdict) {
  if (verdict$state %in% c("nothing made", "no evidence")) {
    return(character())
  }

  if (verdict$state == "no keepers") {
    return(floor_words(verdict))
  }

  reasons <- verdict$reasons
  behind <- reasons[!is.na(reasons$gain) & reasons$gain < -0.005, ]
  behind <- behind[!behind$what %in% utils::head(reasons$what, 3), ]
  weak <- verdict$weakest_case
  flaws <- verdict$failures$flaws
  c(
    vapply(seq_len(nrow(behind)), function(i) one_reason(behind[i, ], verdict$brief), ""),
    paste0(
      "Its weakest case is ", weak$case, ": worth ", two(weak$utility), ", ",
      percent(weak$yield), " keepers."
    ),
    if (verdict$failures$failed > 0) {
      paste0(count_words(verdict$failures$failed, "take"), " of it failed or were refused.")
    },
    if (length(flaws)) {
      paste0(
        "Serious flaws in its takes: ",
        paste0(gsub("_", " ", names(flaws)), " (", flaws, ")", collapse = ", "),
        "."
      )
    }
  )
}

# Why nothing can be used: how many takes fall below each floor.
floor_words <- function(verdict) {
  made <- verdict$table[verdict$table$state == "made", ]
  floors <- verdict$brief$floors
  below <- vapply(
    names(floors),
    function(axis) sum(made[[axis]] < floors[[axis]], na.rm = TRUE),
    0L
  )
  below <- below[below > 0]
  c(
    if (length(below)) {
      paste0(
        below, " of ", nrow(made), " takes are below the floor of ", names(below), " (",
        two(floors[names(below)]), ")."
      )
    },
    nearest_words(verdict, names(below)),
    if (any(made$flaws != "")) {
      paste0(sum(made$flaws != ""), " of ", nrow(made), " takes have a serious flaw.")
    },
    if (any(verdict$table$state %in% c("failed", "refused"))) {
      paste0(
        sum(verdict$table$state %in% c("failed", "refused")),
        " takes failed or were refused: ", first_message(verdict$table), "."
      )
    },
    "Lower a floor, hold the reference more firmly, or bring another pipeline."
  )
}

# Which pipeline lacks least to the floors.
nearest_words <- function(verdict, axes) {
  floors <- verdict$brief$floors[axes]
  means <- as.matrix(verdict$pipelines[axes])
  lacks <- rowSums(pmax(sweep(-means, 2, floors, `+`), 0))
  if (length(axes) == 0 || all(is.na(lacks))) {
    return(NULL)
  }

  nearest <- which.min(lacks)
  paste0(
    verdict$pipelines$pipeline[nearest], " comes nearest: on average ",
    paste(axes, two(means[nearest, ]), collapse = ", "),
    "."
  )
}

first_message <- function(table) {
  message <- stats::na.omit(table$message)
  if (length(message)) {
    sub("\\.$", "", message[1])
  } else {
    "the engine gave no reason"
  }
}

assumed_words <- function(verdict) {
  missing <- verdict$unchecked
  led <- !verdict$state %in% leaderless
  c(
    brief_words(verdict$brief),
    if (length(missing)) {
      paste0(
        "No evidence for ", names(missing), " in ", count_words(missing, "case"),
        ": left out there, for all pipelines alike."
      )
    },
    adherence_words(verdict),
    if (!is.null(verdict$looks)) {
      paste0(
        "The run was stopped when it had seen enough: chances and intervals are stretched for ",
        "the looks on the way."
      )
    },
    if (length(verdict$unjudged)) {
      paste0(
        "Nothing is counted of ", shorten_list(verdict$unjudged),
        ": there is no evidence for what the brief weighs, or sets a floor on."
      )
    },
    if (length(verdict$uneven)) {
      paste0(
        "Evidence on the prompts differs by pipeline: ",
        shorten_list(paste(names(verdict$uneven), percent(verdict$uneven)), 6),
        " of their weight. What one lacks in a case counts for none of them there."
      )
    },
    if (led) {
      paste0(
        "Chances and intervals are about new pictures like ",
        pictures_words(verdict$pictures),
        ", measured the same way. A blind viewing (sprenn viewing) shows whether the measures ",
        "see what matters to you."
      )
    },
    if (led) case_words(verdict),
    verdict$weak_spots
  )
}

# Weights, floors and what style should do.
brief_words <- function(brief) {
  floors <- brief$floors[!is.na(brief$floors)]
  weights <- brief$weights[brief$weights > 0]
  aim <- if (is.numeric(brief$style)) {
    paste0("change by ", two(brief$style[1]), " to ", two(brief$style[2]))
  } else {
    brief$style
  }
  paste0(
    "Weights: ",
    paste(names(weights), two(weights), collapse = ", "),
    ". Floors: ",
    if (length(floors)) paste(names(floors), two(floors), collapse = ", ") else "none",
    ". Style should: ", aim, "."
  )
}

# From here on it is all, as far as anybody can see.
nearly_all <- 0.995

# How much of the prompts has evidence, where adherence counts.
adherence_words <- function(verdict) {
  said <- verdict$state != "nothing made" && isTRUE(verdict$coverage > 0)
  if (!said || verdict$brief$weights[["adherence"]] == 0) {
    return(NULL)
  }

  partly <- "adherence" %in% names(verdict$unchecked)
  adherence <- if (partly) "Elsewhere adherence" else "Adherence"
  if (verdict$coverage > nearly_all) {
    return(paste(adherence, "rests on evidence for all that the prompts ask."))
  }

  paste0(
    adherence, " rests on evidence for ", percent(verdict$coverage),
    " of the prompts' weight; the rest has none and is not guessed."
  )
}

# Whom a verdict speaks for.
pictures_words <- function(pictures) {
  of_cases <- if (pictures$cases == 1) {
    "that of this one case"
  } else {
    paste("those of these", pictures$cases, "cases")
  }
  few_looks <- pictures$looks > 0 && pictures$looks < fewest_looks
  shared <- c(
    if (pictures$references %in% seq_len(pictures$cases - 1)) {
      count_words(pictures$references, "reference")
    },
    if (!few_looks && pictures$looks %in% seq_len(pictures$cases - 1)) {
      count_words(pictures$looks, "look")
    }
  )
  paste0(
    of_cases,
    if (length(shared)) paste0(" (", shorten_list(shared), ")"),
    if (few_looks) {
      paste0(
        ", in ",
        if (pictures$looks == 1) "this look" else paste("these", pictures$looks, "looks")
      )
    }
  )
}

# The pipeline as lines of a lineup.yml, to use it tomorrow.
recipe_words <- function(verdict) {
  if (verdict$state %in% leaderless) {
    return(character())
  }

  one <- verdict$recipes[verdict$recipes$pipeline == verdict$best, ]
  settings <- jsonlite::fromJSON(one$settings)
  text <- function(x) if (is.numeric(x)) format(x, digits = 6) else quoted(x)
  paste0(
    "- {id: ",
    gsub("[^A-Za-z0-9_-]+", "-", one$pipeline),
    ", engine: ",
    one$engine,
    ", checkpoint: ",
    one$checkpoint,
    if (!is.na(one$hold)) paste0(", hold: ", format(one$hold, digits = 6)),
    if (length(settings)) {
      paste0(
        ", settings: {",
        paste0(names(settings), ": ", vapply(settings, text, ""), collapse = ", "),
        "}"
      )
    },
    "}"
  )
}

# From one case nobody can tell how far a mean may be off.
with_interval <- function(mean, low, high, number = two) {
  ifelse(
    is.na(mean),
    "-",
    paste0(
      number(mean),
      ifelse(is.na(low), "", paste0(" (", number(low), " to ", number(high), ")"))
    )
  )
}

signed <- function(x) formatC(x, format = "f", digits = 3, flag = "+")

# Draws can't show that something never happens.
# A chance that is not enough, and may round to what would be.
words_below <- function(chance, wanted) {
  words <- chance_words(chance)
  ifelse(words == percent(wanted), paste("just under", words), words)
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
    section("What to know", words$caveats),
    section("What would change it", words$change),
    section("What it rests on", words$assumed),
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
        rows$utility,
        rows$utility_low,
        rows$utility_high
      ),
      "structure" = two(rows$structure),
      "adherence" = two(rows$adherence),
      "style" = two(rows$style),
      "keepers" = percent(rows$yield)
    ),
    stats::setNames(list(chance), chance_title(verdict$brief)),
    list("cost/keeper" = small_sum(rows$cost_per_keeper))
  ))
}

# What the chances in a table are of.
chance_title <- function(brief) {
  within <- close_enough_of(brief)
  if (within > 0) paste("within", format(within)) else "chance"
}

money_words <- function(x) ifelse(is.finite(x), formatC(x, format = "f", digits = 2), "-")

# Columns of text: words to the left, numbers to the right.
text_table <- function(columns) {
  cells <- Map(
    function(name, values) {
      numbers <- all(grepl("^([<>]?[-0-9].*|)$", values))
      formatC(
        c(name, values),
        width = max(nchar(c(name, values))),
        flag = if (numbers) "" else "-"
      )
    },
    names(columns),
    columns
  )
  sub(" +$", "", do.call(paste, c(unname(cells), sep = "  ")))
}

#' @export
print.sprenn_measure <- function(x, ...) {
  cat(
    "<measure ", x$measure, ", ", x$axis, ">\n  ", x$range,
    "\n  sees ", x$sees, "; blind to ", x$blind_to, "\n",
    sep = ""
  )
  invisible(x)
}

#' @export
format.sprenn_evidence <- function(x, ...) {
  bare <- x$phrases[x$phrases$covered == 0 & x$phrases$takes > 0, ]
  opposed <- x$phrases[which(x$phrases$conflict > 0.25), ]
  share <- function(number) ifelse(is.na(number), "-", paste0(round(100 * number), " %"))
  c(
    paste0(
      "Coverage ", two(x$coverage),
      ": so much of what the prompts ask for, by weight, has evidence behind it."
    ),
    "",
    text_table(list(
      case = x$phrases$case,
      phrase = substr(x$phrases$phrase, 1, 44),
      weight = two(x$phrases$weight),
      "evidence from" = ifelse(x$phrases$sources == "", "nobody", x$phrases$sources),
      covered = share(x$phrases$covered),
      value = two(x$phrases$value),
      opposed = share(x$phrases$conflict)
    )),
    if (nrow(x$agreement)) {
      c(
        "",
        "How far those who speak agree:",
        paste0(
          "  ",
          text_table(list(
            who = paste(x$agreement$one, "and", x$agreement$other),
            "both spoke" = as.character(x$agreement$both),
            "rank correlation" = two(x$agreement$agreement),
            opposed = share(x$agreement$opposed)
          ))
        )
      )
    },
    if (nrow(opposed)) {
      c(
        "",
        strwrap(
          paste0(
            "Sources contradict each other on a quarter of the takes or more for ",
            listed(paste0("\"", opposed$phrase, "\" (", opposed$case, ")")),
            ": look at those takes before you trust either."
          ),
          100
        )
      )
    },
    if (nrow(bare)) {
      c(
        "",
        paste0(
          "Nothing is known of these, so they count for nothing. Next: give each a probe, have a ",
          "judge that"
        ),
        "knows such things, or have people look:",
        paste0("  ", bare$case, ": ", bare$phrase)
      )
    } else {
      c("", "Every phrase has evidence.")
    }
  )
}

#' @export
print.sprenn_evidence <- function(x, ...) print_lines(x)

#' @export
format.sprenn_influence <- function(x, ...) {
  found <- x$inputs
  ignored <- found[found$influence == "ignored", ]
  c(
    text_table(list(
      pipeline = found$pipeline,
      input = found$input,
      moved = two(found$moved),
      "least to most" = ifelse(
        is.na(found$low),
        "-",
        paste(two(found$low), "to", two(found$high))
      ),
      controls = as.character(found$pairs),
      influence = found$influence
    )),
    "",
    "How far a take moves without the input, or with another one; 1 is what another seed moves.",
    unlist(lapply(unique(ignored$input), function(input) {
      whom <- listed(ignored$pipeline[ignored$input == input])
      strwrap(paste0("The ", input, " is ignored by ", whom, "."), 100, exdent = 2)
    })),
    unlist(lapply(intersect(names(untold_reasons), found$why), function(why) {
      whom <- listed(unique(found$pipeline[found$why == why]))
      strwrap(
        paste0("No telling what inputs do to ", whom, ": ", untold_reasons[[why]]),
        100,
        exdent = 2
      )
    })),
    fight_words(x$fights)
  )
}

untold_reasons <- c(
  "no repeats" = paste(
    "pictures differ each time, and nothing was repeated to say by how much.",
    "Add repeat to `controls` in lineup.yml."
  ),
  "too few repeats" = paste(
    "pictures differ each time, by too much for so few controls.",
    "A larger `control_sample` in lineup.yml tells."
  ),
  "seeds do nothing" = paste0(
    "another seed gives the same picture, so that there is ",
    "nothing to hold inputs against."
  )
)

# Which inputs pull against each other, and which help.
fight_words <- function(fights) {
  said <- function(rows) {
    paste0(
      "  - ", rows$pipeline, ": without the ", rows$without, ", ", rows$axis,
      ifelse(rows$effect == "fights", " gains ", " loses "),
      two(abs(rows$change)), " (",
      two(pmin(abs(rows$low), abs(rows$high))),
      " to ",
      two(pmax(abs(rows$low), abs(rows$high))),
      ")."
    )
  }

  fighting <- fights[fights$effect == "fights", ]
  helping <- fights[fights$effect == "helps", ]
  c(
    if (nrow(fighting)) {
      c(
        "",
        "Inputs that fight: one of them comes out better without the other (90 % intervals):",
        said(fighting)
      )
    },
    if (nrow(helping)) c("", "Inputs that help each other:", said(helping)),
    if (nrow(fights) && !nrow(fighting) && !nrow(helping)) {
      c("", "No two inputs are seen to fight or to help each other with so few controls.")
    }
  )
}

#' @export
print.sprenn_influence <- function(x, ...) print_lines(x)

#' @export
format.sprenn_viewing <- function(x, ...) {
  if (nrow(x$ballots) == 0) {
    return(c("Nobody has looked yet.", "  `sprenn viewing TRIAL` opens a page for it."))
  }

  people <- unique(x$ballots$person)
  share <- function(number) ifelse(is.na(number), "-", paste0(round(100 * number), " %"))
  between <- if (!is.null(x$people)) x$people[x$people$both > 0, ]
  beside <- if (!is.null(x$measures)) x$measures[x$measures$beyond_luck, ]
  c(
    paste0(count_words(nrow(x$ballots), "answer"), " by ", listed(people), "."),
    if (NROW(x$strengths)) {
      c(
        "",
        paste0(
          "Which pipeline people prefer, the strongest first (log odds; 90 % intervals for other ",
          "cases and people):"
        ),
        paste0(
          "  ",
          text_table(list(
            pipeline = x$strengths$pipeline,
            strength = two(x$strengths$strength),
            from = two(x$strengths$low),
            to = two(x$strengths$high),
            preferred = format(x$strengths$preferred),
            "of" = as.character(x$strengths$shown)
          ))
        )
      )
    },
    if (NROW(x$keepers)) {
      c(
        "",
        "Kept, of single takes:",
        paste0(
          "  ",
          text_table(list(
            pipeline = x$keepers$pipeline,
            kept = as.character(x$keepers$kept),
            "of" = as.character(x$keepers$shown),
            "why not" = x$keepers$reasons
          ))
        )
      )
    },
    if (NROW(between)) {
      c(
        "",
        "How far people agree:",
        paste0(
          "  ",
          text_table(list(
            who = ifelse(
              between$one == between$other,
              paste(between$one, "twice"),
              paste(between$one, "and", between$other)
            ),
            pairs = as.character(between$both),
            alike = share(between$agreement)
          ))
        )
      )
    },
    viewer_words(x$viewers),
    if (NROW(beside)) {
      c(
        "",
        "Numbers that side with people, or against them, beyond luck (50 % is chance):",
        paste0(
          "  ",
          text_table(list(
            measure = gsub("_", " ", beside$measure),
            axis = beside$axis,
            pairs = as.character(beside$pairs),
            sides = share(beside$agreement)
          ))
        )
      )
    },
    if (NROW(x$measures) && !NROW(beside)) {
      c(
        "",
        strwrap(
          paste0(
            "No number sides with people beyond what the luckiest of ", nrow(x$measures),
            " meaningless ones would in ", max(x$measures$pairs),
            " pairs. More answers tell."
          ),
          100,
          exdent = 2
        )
      )
    },
    if (NROW(x$weights)) {
      c(
        "",
        paste0(
          "Which weights of the axes would side most with people (a suggestion: the brief stays ",
          "as it is):"
        ),
        paste0(
          "  ",
          text_table(list(
            job = ifelse(is.na(x$weights$job), "all", x$weights$job),
            axis = x$weights$axis,
            "by ballots" = paste0(
              two(x$weights$weight), " (",
              two(x$weights$low), " to ",
              two(x$weights$high), ")"
            ),
            "in the brief" = two(x$weights$brief),
            pairs = as.character(x$weights$pairs)
          ))
        )
      )
    }
  )
}

# Whose answers count less, and what is odd in them.
viewer_words <- function(viewers) {
  if (is.null(viewers)) {
    return(NULL)
  }

  careless <- viewers[viewers$high < 0.8, ]
  left <- viewers[viewers$left_odd, ]
  tired <- viewers[viewers$tires, ]
  said <- c(
    paste0(
      careless$person, " prefers what the others' answers would have ",
      tolower(percent(careless$follows)), " of the time, where ",
      percent(careless$expected),
      " would be expected: careless, or of another taste. These answers count for ",
      two(careless$care), " of others'.",
      recycle0 = TRUE
    ),
    paste0(
      left$person, " chose the left picture in ", percent(left$left), " of pairs.",
      recycle0 = TRUE
    ),
    paste0(
      tired$person, " seems to have tired: ", percent(tired$early),
      " of the first half go with the others, ", percent(tired$late), " of the second.",
      recycle0 = TRUE
    )
  )
  if (length(said)) {
    c("", strwrap(said, 100, initial = "  - ", prefix = "    "))
  }
}

#' @export
print.sprenn_viewing <- function(x, ...) print_lines(x)
