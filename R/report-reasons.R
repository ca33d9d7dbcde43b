# Why a verdict is what it is, what would change it, and what it is based on, in words.

# What would settle the choice.
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
        "The expected loss from using ", verdict$best, " now is ",
        formatC(loss, format = "f", digits = 3), " of a take's worth."
      )
    }
  )
}

# The predicted effect of more cases or seeds, given what is known of the lead.
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
      ". With one seed per case, the effect of more seeds is unknown: make a second of each."
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
      "The pipelines hardly differ in any case:",
      "harder cases would tell more."
    ))
  }

  half <- cases$case[seq_len(which(cumsum(cases$share) >= 0.5)[1])]
  kept <- ifelse(silent$keepers < 0.01, "no keepers", "equally good")
  kept <- ifelse(silent$keepers > 0.99, "all keepers", kept)
  twins <- cases[!is.na(cases$twin), ]
  turns <- cases[!is.na(cases$leads), ]
  c(
    if (length(half) <= nrow(cases) / 4) {
      paste0("Half of the information comes from ", shorten_list(half), ".")
    },
    if (nrow(silent)) {
      paste0(
        "No information comes from ", shorten_list(paste0(silent$case, " (", kept, ")")),
        ": harder cases would tell more."
      )
    },
    if (nrow(twins)) {
      paste0(
        "The same information comes from ",
        shorten_list(paste(twins$case, "and", twins$twin)), "."
      )
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

# A leader this close to the best may be good enough.
usually_close <- 0.03

near_words <- function(verdict) {
  chance <- chance_close(verdict$draws$worth, usually_close)[[verdict$best]]
  if (close_enough_of(verdict$brief) > 0 || !isTRUE(chance >= verdict$brief$confidence)) {
    return(NULL)
  }

  paste0(
    "The chance that ", verdict$best, " is within ", usually_close, " of the best is ",
    chance_words(chance), ": if that is good enough, write `close_enough: ", usually_close,
    "` into the brief."
  )
}

# What would change the choice: other weights, and pipelines on the Pareto front.
change_words <- function(verdict) {
  if (verdict$state %in% leaderless || nrow(verdict$pipelines) == 1) {
    return(character())
  }

  weighed <- names(verdict$brief$weights)[verdict$brief$weights > 0]
  # A preference may put another in front than the one that leads.
  leader <- verdict$pipelines$pipeline[which.max(verdict$pipelines$worth)]
  name <- if (leader == verdict$best) "It" else leader
  wins <- mean(verdict$weightings$winner == leader)
  flips <- verdict$flips
  first <- flips[1, ]
  pareto_front <- verdict$tradeoff$pipeline[verdict$tradeoff$pareto_front %in% TRUE]
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
    if (length(pareto_front) > 1) {
      paste0("On the Pareto front of the axes: ", shorten_list(pareto_front, 6), ".")
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
      "It moves further towards the look",
      "It moves as far towards the look",
      "It moves less far towards the look"
    )
  } else if (identical(brief$style, "stay")) {
    c(
      "It changes the style less",
      "It changes the style as much",
      "It changes the style more"
    )
  } else {
    c(
      "Its change of style is nearer to the amount wanted",
      "Its change of style is as near to the amount wanted",
      "Its change of style is further from the amount wanted"
    )
  }
  said <- switch(reason$what,
    structure = c(
      "It keeps the layout better",
      "It keeps the layout as well",
      "It keeps the layout less well"
    ),
    adherence = c(
      "It follows the prompts better",
      "It follows the prompts as well",
      "It follows the prompts less well"
    ),
    style = style,
    keepers = c(
      "More of its takes can be used",
      "As many of its takes can be used",
      "Fewer of its takes can be used"
    )
  )[grade]
  number <- if (reason$what == "keepers") percent else two
  name <- reason$what
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
  unreached <- c(
    not_compared_words(verdict$unreached),
    left_out_words(verdict$left_out),
    changed_suite_words(verdict$suite$changed, verdict$run)
  )
  if (verdict$state %in% c("nothing made", "no evidence")) {
    return(unreached)
  }

  if (verdict$state == "no keepers") {
    return(c(floor_words(verdict), unreached))
  }

  reasons <- verdict$reasons
  behind <- reasons[!is.na(reasons$gain) & reasons$gain < -0.005, ]
  behind <- behind[!behind$what %in% utils::head(reasons$what, 3), ]
  weak <- verdict$weakest_case
  flaws <- verdict$failures$flaws
  c(
    vapply(seq_len(nrow(behind)), function(i) one_reason(behind[i, ], verdict$brief), ""),
    paste0(
      "Its weakest case is ", weak$case, ": worth ", two(weak$worth), ", ",
      percent(weak$keepers), " keepers."
    ),
    if (verdict$failures$failed > 0) {
      paste(count_words(verdict$failures$failed, "take"), "of it failed or were refused.")
    },
    if (length(flaws)) {
      paste0(
        "Serious flaws in its takes: ",
        paste0(gsub("_", " ", names(flaws)), " (", flaws, ")", collapse = ", "),
        "."
      )
    },
    unreached
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
    "Lower a floor, hold the reference more firmly, or add another pipeline."
  )
}

# The pipeline nearest to the floors.
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
  print <- verdict$suite$fingerprint
  c(
    if (!is.null(print)) {
      paste0("Suite ", verdict$suite$suite, ", fingerprint ", substr(print, 1, 12), ".")
    },
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
        "The run stopped early: chances and intervals are widened for ",
        "the interim looks."
      )
    },
    if (length(verdict$unjudged)) {
      paste0(
        "Not counted: ", shorten_list(verdict$unjudged),
        ", since there is no evidence for what the brief weighs, or sets a floor on."
      )
    },
    if (length(verdict$uneven)) {
      paste0(
        "Evidence on the prompts differs by pipeline: ",
        shorten_list(paste(names(verdict$uneven), percent(verdict$uneven)), 6),
        " of their weight. Evidence that one lacks in a case counts for none of them there."
      )
    },
    if (led) {
      paste0(
        "Chances and intervals apply to new pictures like ",
        pictures_words(verdict$pictures),
        ", measured the same way. A blind viewing (sprenn viewing) shows whether the measures ",
        "see what matters to you."
      )
    },
    if (led) case_words(verdict),
    verdict$weak_spots
  )
}

# From here on, a share is shown as all.
nearly_all <- 0.995
