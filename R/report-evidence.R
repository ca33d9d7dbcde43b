# Evidence, influence and viewings in words.

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
      ": the share of the prompts' weight that has evidence."
    ),
    "",
    text_table(list(
      case = x$phrases$case,
      phrase = substr(x$phrases$phrase, 1, 44),
      weight = two(x$phrases$weight),
      "evidence from" = ifelse(x$phrases$sources == "", "none", x$phrases$sources),
      covered = share(x$phrases$covered),
      value = two(x$phrases$value),
      opposed = share(x$phrases$conflict)
    )),
    if (nrow(x$agreement)) {
      c(
        "",
        "Agreement between sources, by what is asked for:",
        paste0(
          "  ",
          text_table(list(
            who = ifelse(
              x$agreement$kind == "all",
              paste(x$agreement$one, "and", x$agreement$other),
              ""
            ),
            about = x$agreement$kind,
            "both judged" = as.character(x$agreement$both),
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
    shown_words(x$shown),
    unbelieved_words(x$beliefs),
    if (nrow(bare)) {
      c(
        "",
        paste0(
          "These have no evidence, so they count for nothing. Give each a probe, add a ",
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

# The statements in which a judge is not believed, and why.
unbelieved_words <- function(beliefs) {
  vain <- beliefs[beliefs$believed %in% FALSE, ]
  if (nrow(vain) == 0) {
    return(NULL)
  }

  c(
    "",
    "No evidence, because the judge can't tell pictures that were asked for this from others:",
    unlist(lapply(unbelieved_each(beliefs), strwrap, 100, initial = "  ", prefix = "      "))
  )
}

unbelieved_each <- function(beliefs) {
  vain <- beliefs[beliefs$believed %in% FALSE, ]
  why <- ifelse(
    vain$absent,
    paste0(
      ", unwanted: ", two(vain$level), " on average of ", count_words(vain$asked, "picture"),
      ", alike in all pipelines and cases, and the judge tells no wanted statement either"
    ),
    paste0(
      ": ", two(vain$level), " where it was asked for (", count_words(vain$asked, "picture"),
      "), ", two(vain$chance), " elsewhere (", vain$unasked, ")"
    )
  )
  paste0(vain$judge, ", ", quoted(vain$statement), why)
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
    "How far a take moves without the input, or with another one; 1 is the effect of another seed.",
    unlist(lapply(unique(ignored$input), function(input) {
      whom <- listed(ignored$pipeline[ignored$input == input])
      strwrap(paste0("The ", input, " is ignored by ", whom, "."), 100, exdent = 2)
    })),
    unlist(lapply(intersect(names(untold_reasons), found$why), function(why) {
      whom <- listed(unique(found$pipeline[found$why == why]))
      strwrap(
        paste0("The effect of inputs is unknown for ", whom, ": ", untold_reasons[[why]]),
        100,
        exdent = 2
      )
    })),
    conflict_words(x$conflicts)
  )
}

untold_reasons <- c(
  "no repeats" = paste(
    "pictures differ each time, and there are no repeats to say by how much.",
    "Add repeat to `controls` in lineup.yml."
  ),
  "too few repeats" = paste(
    "pictures differ each time, by too much for so few controls.",
    "Use a larger `control_sample` in lineup.yml."
  ),
  "seeds do nothing" = paste0(
    "another seed gives the same picture, so there is ",
    "nothing to compare inputs with."
  )
)

# Inputs that conflict, and inputs that support each other.
conflict_words <- function(conflicts) {
  said <- function(rows) {
    paste0(
      "  - ", rows$pipeline, ": without the ", rows$without, ", ", rows$axis,
      ifelse(rows$effect == "conflicts", " gains ", " loses "),
      two(abs(rows$change)), " (",
      two(pmin(abs(rows$low), abs(rows$high))),
      " to ",
      two(pmax(abs(rows$low), abs(rows$high))),
      ")."
    )
  }

  conflicting <- conflicts[conflicts$effect == "conflicts", ]
  supporting <- conflicts[conflicts$effect == "supports", ]
  c(
    if (nrow(conflicting)) {
      c(
        "",
        "Inputs that conflict: one is followed better without the other (90 % intervals):",
        said(conflicting)
      )
    },
    if (nrow(supporting)) c("", "Inputs that support each other:", said(supporting)),
    if (nrow(conflicts) && !nrow(conflicting) && !nrow(supporting)) {
      c("", "With so few controls, no two inputs are seen to conflict or to support each other.")
    }
  )
}

#' @export
print.sprenn_influence <- function(x, ...) print_lines(x)

#' @export
format.sprenn_viewing <- function(x, ...) {
  if (nrow(x$ballots) == 0) {
    return(c("Nobody has judged any takes yet.", "  `sprenn viewing TRIAL` opens a page for it."))
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
          "Preferred pipelines, the strongest first (log odds; 90 % intervals for other ",
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
        "Agreement between people:",
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
        "Measures that agree with people, or disagree, more than by luck (50 % is chance):",
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
            "No measure agrees with people more than the luckiest of ", nrow(x$measures),
            " random ones would in ", max(x$measures$pairs),
            " pairs. More answers would help."
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
          "Weights of the axes that agree most with people (a suggestion; the brief is not ",
          "changed):"
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

# People whose answers count less, and why.
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
      " of the first half agree with the others, ", percent(tired$late), " of the second.",
      recycle0 = TRUE
    )
  )
  if (length(said)) {
    c("", strwrap(said, 100, initial = "  - ", prefix = "    "))
  }
}

#' @export
print.sprenn_viewing <- function(x, ...) print_lines(x)
