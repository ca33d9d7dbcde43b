# Changes between runs, and portraits of one pipeline, in words.

#' @export
format.sprenn_changes <- function(x, ...) {
  c(silent_lines(x), changed_score_lines(x), other_lines(x))
}

# What was changed without a new version number, or that nothing has changed.
silent_lines <- function(x) {
  silent <- x$pictures[x$pictures$silent, ]
  if (nrow(silent) + nrow(told_changes(x)) == 0) {
    return(paste0("No change was detected from ", x$runs[1], " to ", x$runs[2], "."))
  }

  if (nrow(silent)) {
    c(
      strwrap(
        paste(
          "Changed without a new version number: these engines say that they repeat seeds,",
          "report the same version, and gave other pictures for the same requests:"
        ),
        100
      ),
      paste0(
        "  - ", silent$pipeline, " (engine ", silent$engine, "): ", silent$other,
        " of ", silent$asked_alike, " takes"
      )
    )
  }
}

changed_score_lines <- function(x) {
  columns <- changed_columns(x)
  if (length(columns$pipeline)) {
    c(
      "",
      paste0("Scores that changed (simultaneous intervals, ", percent(x$confidence), "):"),
      paste0("  ", text_table(columns))
    )
  }
}

# The scores that have changed, as words in columns.
changed_columns <- function(x) {
  changed <- told_changes(x)
  list(
    pipeline = changed$pipeline,
    score = score_names(changed$score),
    old = two(changed$old),
    new = two(changed$new),
    change = paste0(
      signed(changed$change), " (", signed(changed$low), " to ", signed(changed$high), ")",
      recycle0 = TRUE
    ),
    takes = as.character(changed$takes)
  )
}

# Paragraphs after the scores, each begun by an empty line.
other_lines <- function(x) {
  silent <- x$pictures[x$pictures$silent, ]
  changed <- told_changes(x)
  odd <- x$pictures[x$pictures$lost + x$pictures$gained > 0, ]
  other <- x$pictures$pipeline[x$pictures$same < x$pictures$takes]
  same <- setdiff(other, c(changed$pipeline, silent$pipeline))
  c(
    if (nrow(x$versions)) {
      c(
        "",
        paste0(
          "Engine ", x$versions$engine, " went from version ", x$versions$old, " to ",
          x$versions$new, "."
        )
      )
    },
    if (nrow(odd)) {
      c(
        "",
        paste0(
          odd$pipeline, ": ", odd$lost, " takes were made in ",
          x$runs[1], " only, ", odd$gained, " in ",
          x$runs[2], " only."
        )
      )
    },
    if (length(same) && nrow(silent) + nrow(changed) > 0) {
      c("", strwrap(paste0("No change detected: ", listed(same), "."), 100, exdent = 2))
    },
    seen_words(x),
    common_words(x$common),
    if (length(unlist(x$only$pipelines))) {
      c(
        "",
        strwrap(
          paste0("In one run only: ", shorten_list(unlist(x$only$pipelines), 12), "."),
          100,
          exdent = 2
        )
      )
    }
  )
}

# How much two runs have in common, if that is not all.
common_words <- function(common) {
  if (is.null(common)) {
    return(NULL)
  }

  if (length(common$cases) == common$of && length(common$seeds) == common$of_seeds) {
    return(NULL)
  }

  words <- paste0(
    "Compared: ", length(common$cases), " of ",
    count_words(common$of, "case"), ", ", length(common$seeds), " of ",
    count_words(common$of_seeds, "seed"),
    "; the others are in one run only, or were not asked or measured the same way in both."
  )
  c("", strwrap(words, 100, exdent = 2))
}

# A change that is certain but invisible in three digits is not reported.
told_changes <- function(x) x$scores[x$scores$changed & abs(x$scores$change) >= 0.0005, ]

score_names <- function(scores) {
  named <- c(keeper = "keepers")
  unname(ifelse(scores %in% names(named), named[scores], scores))
}

# How small a change would have been seen, where pictures differ at all.
seen_words <- function(x) {
  again <- x$pictures$pipeline[x$pictures$same == x$pictures$takes]
  rows <- x$scores[!x$scores$pipeline %in% again, ]
  blind <- unique(rows$pipeline[is.na(rows$seen)])
  rows <- rows[!is.na(rows$seen), ]
  least <- vapply(split(rows$seen, factor(rows$score, unique(rows$score))), max, 0)
  least <- least[least > 0]
  named <- paste(
    "of", score_names(names(least)), "by",
    ifelse(names(least) == "keeper", percent(least), two(least))
  )
  c(
    if (length(again)) {
      whom <- if (length(again) == nrow(x$pictures)) "all pipelines" else listed(again)
      c(
        "",
        strwrap(
          paste0("Identical pictures, byte for byte: ", whom, "."),
          100,
          exdent = 2
        )
      )
    },
    if (length(least)) {
      c(
        "",
        strwrap(
          paste0(
            "Nine out of ten comparisons like this one would have detected a change ",
            paste(named, collapse = ", "), ", in any pipeline with other pictures",
            if (length(blind)) " and takes enough", "."
          ),
          100,
          exdent = 2
        )
      )
    },
    if (length(blind)) {
      c(
        "",
        strwrap(
          paste0(
            "Too few takes to detect some changes, or any, in ", listed(blind),
            ": scores that are not listed may have ",
            "changed all the same. Use more seeds or cases."
          ),
          100,
          exdent = 2
        )
      )
    }
  )
}

#' @export
format.sprenn_portrait <- function(x, ...) {
  own <- x$standing
  ends <- function(column) {
    with_interval(own[[column]], own[[paste0(column, "_low")]], own[[paste0(column, "_high")]])
  }

  c(
    rank_words(x$pipeline, own, nrow(x$verdict$pipelines)),
    "",
    text_table(list(
      what = c("worth", axes, "keepers"),
      "mean (90 % interval)" = c(
        ends("worth"),
        vapply(axes, ends, ""),
        with_interval(own$keepers, own$keepers_low, own$keepers_high, percent)
      )
    )),
    "",
    strwrap(keeper_cost_words(own), 100),
    against_words(x$against),
    flip_words(x$flip, own$rank),
    "",
    "Case by case, best first:",
    paste0(
      "  ",
      text_table(list(
        case = x$cases$case,
        worth = two(x$cases$worth),
        "the others'" = two(x$cases$others),
        structure = two(x$cases$structure),
        adherence = two(x$cases$adherence),
        style = two(x$cases$style),
        keepers = percent(x$cases$keepers)
      ))
    ),
    if (nrow(x$problems)) {
      c(
        "",
        "Why takes were not keepers:",
        paste0("  ", x$problems$takes, " x ", x$problems$problem)
      )
    },
    if (nrow(x$stages)) stage_words(x$stages),
    if (NROW(x$influence$inputs)) {
      inputs <- x$influence$inputs
      c(
        "",
        "What its inputs do (1 is the effect of another seed):",
        paste0("  ", inputs$input, " ", two(inputs$moved), ": ", inputs$influence)
      )
    },
    if (NROW(x$influence$conflicts)) conflict_words(x$influence$conflicts)
  )
}

rank_words <- function(pipeline, own, n) {
  paste0(
    pipeline,
    ": ",
    if (own$rank == 1) "the best" else paste("number", own$rank),
    " of ",
    n,
    if (!is.na(own$chance_best)) {
      paste0("; chance that it is the best ", chance_words(own$chance_best))
    },
    if (!is.na(own$rank_low) && n > 1) paste0("; rank ", own$rank_low, " to ", own$rank_high),
    "."
  )
}

keeper_cost_words <- function(own) {
  if (!is.finite(own$takes_per_keeper)) {
    return("It has no keeper yet.")
  }

  tries <- if (own$takes_per_keeper == 1) {
    "one try"
  } else {
    paste(format(signif(own$takes_per_keeper, 2)), "tries")
  }
  paste0(
    "A keeper takes ", tries, ", costs ", show_money(own$cost_per_keeper), " and takes ",
    two(own$seconds_per_keeper), " s."
  )
}

# Pipelines that it is certainly ahead of, certainly behind, and those it can't be distinguished
# from.
against_words <- function(against) {
  apart <- against$apart
  told <- list(
    "Certainly behind: " = against$other[apart & against$difference < 0],
    "Certainly ahead of: " = against$other[apart & against$difference > 0],
    "Not distinguishable, with all pairs compared at once, from: " = against$other[!apart]
  )
  told <- told[lengths(told) > 0]
  unlist(lapply(names(told), function(words) {
    strwrap(paste0(words, listed(told[[words]]), "."), 100, exdent = 2)
  }))
}

flip_words <- function(flip, rank) {
  if (nrow(flip)) {
    weighed <- intersect(axes, names(flip))
    return(paste0(
      "It would lead with ",
      paste(weighed, two(unlist(flip[weighed])), collapse = ", "),
      " (", percent(flip$moved), " of the weight moved)."
    ))
  }

  if (rank > 1) {
    "No weights of the axes would make it lead."
  }
}

stage_words <- function(stages) {
  gain <- paste0(
    signed(stages$gain), " (", signed(stages$low), " to ",
    signed(stages$high), ")"
  )
  c(
    "",
    "What its later steps add to their input (90 % intervals):",
    paste0(
      "  ",
      text_table(list(
        step = stages$pipeline,
        score = stages$score,
        before = two(stages$before),
        after = two(stages$after),
        gain = gain,
        cost = show_money(stages$cost),
        seconds = two(stages$seconds)
      ))
    )
  )
}

#' @export
print.sprenn_changes <- function(x, ...) print_lines(x)

#' @export
print.sprenn_portrait <- function(x, ...) print_lines(x)
