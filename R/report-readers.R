# The part of a report for readers of a publication: the method in three paragraphs, what limits
# the claim, and how to cite Sprenn.

readers_part <- function(trial, verdicts, run) {
  tag <- htmltools::tags
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  limits <- unique(unlist(lapply(verdicts, limit_words, store)))
  htmltools::tagList(
    tag$h3("Method"),
    lapply(
      c(
        made_words(trial, verdicts, store),
        measured_words(verdicts, store),
        chosen_words(verdicts)
      ),
      tag$p
    ),
    tag$h3("Limits of the claim"),
    tag$ul(lapply(limits, tag$li)),
    tag$h3("How to cite Sprenn"),
    tag$pre(paste(utils::toBibtex(utils::citation("sprenn")), collapse = "\n"))
  )
}

# What was made of what, by which engines.
made_words <- function(trial, verdicts, store) {
  facts <- get_facts(store)
  takes <- read_takes(store, deciding_columns)
  recipes <- verdicts[[1]]$recipes
  pipelines <- unique(unlist(lapply(verdicts, function(verdict) verdict$pipelines$pipeline)))
  recipes <- recipes[recipes$pipeline %in% pipelines, ]
  engines <- unique(recipes[c("engine", "engine_version")])
  engines <- engines[order(engines$engine), ]
  cases <- unique(unlist(lapply(verdicts, function(verdict) unique(verdict$table$case))))
  paste0(
    "Every pipeline was given the same ", count_words(length(cases), "case"), " of the suite ",
    facts$suite, " (fingerprint ", substr(facts$suite_fingerprint, 1, 12), "), each with the ",
    if (length(trial$suite$seeds) == 1) "seed " else "seeds ", listed(trial$suite$seeds), ". ",
    "Compared were ", count_words(length(pipelines), "pipeline"), " of the engines ",
    shorten_list(paste0(engines$engine, " (version ", engines$engine_version, ")"), 12), ". ",
    "The run made ", count_words(sum(takes$state == "made"), "picture"), "; ",
    count_words(sum(takes$state %in% c("failed", "refused")), "take"), " failed or refused count ",
    "as pictures that can't be used."
  )
}

# What measured the pictures.
measured_words <- function(verdicts, store) {
  facts <- get_facts(store)
  judges <- unlist(judged_versions(store))
  scored <- verdicts[[1]]
  paste0(
    "Sprenn ", facts$sprenn_version, " (measures of version ", facts$measures, ") compared each ",
    "picture with its reference in the case's frame. Structure is 0 where the layout agrees no ",
    "better than that of unrelated pictures, and 1 where it is the reference's. Adherence is the ",
    "weighted share of the prompt's phrases that are there",
    if (isTRUE(scored$coverage > 0)) {
      paste0(" (", percent(scored$coverage), " of their weight has evidence)")
    },
    ". Style is how far the picture has moved from the reference's style as the brief wants it. ",
    "Pictures with serious flaws can't be used. ",
    if (length(judges)) {
      paste0(
        "Answers came from judges (", listed(paste(names(judges), "version", judges)),
        "), as far as they are better than chance."
      )
    } else {
      "No judge was asked: adherence rests on measurements of pixels alone."
    }
  )
}

# How the numbers became a choice.
chosen_words <- function(verdicts) {
  brief <- verdicts[[1]]$brief
  weighed <- vapply(
    verdicts,
    function(verdict) {
      job <- verdict$brief$job
      paste0(if (!is.na(job)) paste0("For ", job, ": "), brief_words(verdict$brief))
    },
    ""
  )
  paste0(
    "A picture is worth the weighted mean of its axes, or nothing if it can't be used. ",
    paste(weighed, collapse = " "), " Pipelines are compared by their mean over cases of the mean ",
    "over seeds, case by case, with ", brief$draws, " draws of what these means may be on new ",
    "pictures (seed ", brief$seed, "). Intervals hold 90 % of the draws; a choice is called ",
    "decided if the chance that it is ", aim_words(verdicts[[1]]), " is at least ",
    percent(brief$confidence), "."
  )
}

# What the claim does not cover.
limit_words <- function(verdict, store) {
  led <- !verdict$state %in% leaderless
  viewed <- nrow(read_ballots(store))
  c(
    if (led) {
      paste0(
        "It holds for new pictures like ", pictures_words(verdict$pictures), ", made by the same ",
        "versions of the engines with the same settings."
      )
    },
    if (verdict$state != "decided") headline_words(verdict),
    if (viewed == 0) {
      paste0(
        "No person has judged these pictures blind: whether the measures see here what people see ",
        "is not tested."
      )
    } else {
      paste0(
        "People gave ", count_words(viewed, "blind judgement"), ". What they prefer does not ",
        "enter the verdict; what they said of phrases counts as evidence."
      )
    },
    caveat_words(verdict)
  )
}
