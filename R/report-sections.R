# The report's sections, in the order in which they stand.

# What the first screen has no room for: reasons, caveats, and how to use the choice.
verdict_section <- function(verdict) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  points <- function(title, text) {
    if (length(text)) {
      htmltools::tagList(tag$h2(title), tag$ul(lapply(text, tag$li)))
    }
  }

  tag$section(
    class = "reasons",
    lapply(words$standing[-1], tag$p),
    tag$div(
      class = "two",
      tag$div(points(words$why, words$reasons)),
      tag$div(
        points("Caveats", words$caveats),
        points("What would change it", words$change)
      )
    ),
    if (length(words$recipe)) {
      htmltools::tagList(
        tag$h2(paste0("To use ", verdict$best, ", in lineup.yml")),
        tag$pre(words$recipe)
      )
    },
    tag$p(class = "soft", paste(words$assumed, collapse = " "))
  )
}

score_section <- function(verdict, viewing) {
  tag <- htmltools::tags
  rows <- verdict$pipelines
  colours <- pipeline_colours(verdict$recipes)
  measures <- c("worth", "structure", "adherence", "style", "keepers")
  within <- close_enough_of(verdict$brief)
  close_title <- if (within > 0) {
    paste("chance within", format(within), "of the best")
  } else {
    "chance best"
  }
  people <- people_cells(viewing, rows$pipeline)
  scroll_table(
    "Scores of the pipelines",
    paste0(
      "Expected worth on new pictures, and means over cases, with 90 % intervals. A take's worth ",
      "is the brief's weighting of its axes, and 0 if it is not a keeper. A pipeline's name shows ",
      "its takes."
    ),
    c(
      "pipeline", measures, close_title, "cost per keeper", "seconds per keeper",
      if (!is.null(people)) "preferred by people"
    ),
    lapply(seq_len(nrow(rows)), function(i) {
      name <- rows$pipeline[i]
      tag$tr(
        tag$th(
          scope = "row",
          swatch(colours[[name]]),
          tag$a(
            href = paste0("#pipeline=", utils::URLencode(name, reserved = TRUE), "&part=cases"),
            `data-takes` = name,
            breakable(name)
          )
        ),
        lapply(measures, function(measure) score_cell(i, rows, measure, colours)),
        tag$td(class = "number", chance_words(rows$chance_close[i])),
        tag$td(class = "number", small_sum(rows$cost_per_keeper[i])),
        tag$td(class = "number", small_sum(rows$seconds_per_keeper[i])),
        if (!is.null(people)) tag$td(class = "number", people[i])
      )
    })
  )
}

# How often people preferred each pipeline; NULL if nobody was asked.
people_cells <- function(viewing, pipelines) {
  strengths <- viewing$strengths
  if (NROW(strengths) == 0) {
    return(NULL)
  }

  at <- match(pipelines, strengths$pipeline)
  ifelse(
    is.na(at),
    "-",
    paste(vapply(strengths$preferred[at], format_value, ""), "of", strengths$shown[at])
  )
}

influence_section <- function(trial, run) {
  found <- if_there(measure_influence(trial, run))
  if (is.null(found) || nrow(found$inputs) == 0) {
    return(NULL)
  }

  tag <- htmltools::tags
  words <- format(found)
  tag$section(
    id = "influence",
    tag$h2("Effect of the inputs"),
    figure_tag(
      untitled(draw_influence(found)),
      "How far a take moves without each of its inputs",
      height = 250 + 32 * length(unique(found$inputs$pipeline))
    ),
    tag$pre(class = "words", paste(words[-seq_len(which(words == "")[1])], collapse = "\n"))
  )
}

# Who spoke on what the prompts ask for, and what nobody speaks on; of one verdict's cases
# where it is given.
evidence_section <- function(found, verdict = NULL) {
  if (!is.null(verdict)) {
    found$phrases <- found$phrases[found$phrases$case %in% verdict$table$case, ]
    found$coverage <- verdict$coverage
  }

  if (nrow(found$phrases) == 0) {
    return(NULL)
  }

  tag <- htmltools::tags
  phrases <- found$phrases
  cells <- list(
    case = phrases$case,
    weight = two(phrases$weight),
    "evidence from" = ifelse(phrases$sources == "", "none", gsub("_", " ", phrases$sources)),
    covered = percent(phrases$covered),
    value = two(phrases$value),
    opposed = percent(phrases$conflict)
  )
  bare <- phrases[phrases$covered == 0 & phrases$takes > 0, ]
  agreement <- found$agreement[found$agreement$kind == "all", ]
  vain <- unbelieved_words(found$beliefs)
  tag$section(
    id = "evidence",
    tag$h2("Evidence by source"),
    tag$p(paste0(
      "Share of the prompts' weight that has evidence: ",
      percent(found$coverage), ". The rest counts for nothing."
    )),
    if (nrow(bare)) {
      htmltools::tagList(
        tag$h3("Phrases without evidence"),
        tag$ul(
          lapply(seq_len(nrow(bare)), function(i) {
            tag$li(bare$phrase[i], tag$span(class = "soft", paste0(" (", bare$case[i], ")")))
          })
        )
      )
    },
    if (length(vain)) {
      htmltools::tagList(
        tag$h3("Judges that are not believed"),
        tag$p(vain[2]),
        tag$ul(lapply(unbelieved_each(found$beliefs), tag$li))
      )
    },
    shown_part(shown_cells(found$shown)),
    if (nrow(agreement)) {
      htmltools::tagList(
        tag$h3("Agreement between sources"),
        tag$ul(
          Map(
            function(one, other, both, agreement, opposed) {
              tag$li(paste0(
                gsub("_", " ", one), " and ",
                gsub("_", " ", other), " both judged on ", count_words(both, "answer"),
                ": rank correlation ", two(agreement), ", opposed on ", percent(opposed),
                "."
              ))
            },
            agreement$one,
            agreement$other,
            agreement$both,
            agreement$agreement,
            agreement$opposed
          )
        )
      )
    },
    tag$details(
      tag$summary("Phrase by phrase"),
      scroll_table(
        "Evidence of each phrase",
        paste0(
          "Value: mean evidence over takes, 0 absent to 1 present. Opposed: the share of takes ",
          "on which sources contradict each other."
        ),
        c("phrase", names(cells)),
        lapply(seq_len(nrow(phrases)), function(i) {
          tag$tr(
            tag$th(scope = "row", phrases$phrase[i]),
            lapply(cells, function(column) tag$td(column[i]))
          )
        })
      )
    )
  )
}

rests_section <- function(trial, verdicts, run) {
  tag <- htmltools::tags
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  facts <- get_facts(store)
  takes <- read_takes(store, deciding_columns)
  fact <- function(name, value) list(tag$dt(name), tag$dd(value))
  engines <- vapply(
    trial$lineup$engines,
    function(engine) paste(engine$about$name, "version", engine$about$version),
    ""
  )
  recipes <- verdicts[[1]]$recipes
  recipes <- recipes[recipes$pipeline %in% takes$pipeline[is.na(takes$control)], ]
  audit <- plan_notes(trial)
  brief <- verdicts[[1]]$brief
  htmltools::tagList(
    tag$dl(
      fact("Brief", brief$brief),
      fact("Suite", paste0(facts$suite, ", fingerprint ", facts$suite_fingerprint)),
      fact("Seeds", paste(trial$suite$seeds, collapse = ", ")),
      fact("Run", paste0(run, ", in ", run_folder(basename(trial$folder), run))),
      fact("Engines", paste(engines, collapse = "; ")),
      fact(
        "Takes",
        paste0(
          sum(takes$state == "made"), " made (",
          sum(takes$state == "made" & !is.na(takes$control)),
          " of them controls), ", sum(takes$state %in% c("failed", "refused")),
          " failed or refused, ", sum(takes$state == "planned"), " not made"
        )
      ),
      fact("Draws", paste0(brief$draws, " of what pipelines may be worth; seed ", brief$seed)),
      fact(
        "To repeat it",
        tag$code(
          paste("sprenn run", basename(trial$folder), if (run != "main") paste("--run", run))
        )
      ),
      fact(
        "Written by",
        paste0("Sprenn ", facts$sprenn_version, ", on ", format(Sys.Date(), "%e %B %Y"))
      )
    ),
    if (length(audit)) {
      htmltools::tagList(tag$h3("Is the comparison fair?"), tag$ul(lapply(audit, tag$li)))
    },
    scroll_table(
      "Settings of every pipeline",
      paste0(
        "Settings of every pipeline, and what it gives in place of what a case has. The native ",
        "knob is the engine's own scale for hold."
      ),
      c("pipeline", "engine", "checkpoint", "hold", "native knob", "settings"),
      lapply(seq_len(nrow(recipes)), function(i) {
        one <- recipes[i, ]
        knob <- if (is.na(one$native_hold)) "-" else format_value(one$native_hold)
        tag$tr(
          tag$th(scope = "row", one$pipeline),
          tag$td(one$engine),
          tag$td(one$checkpoint),
          tag$td(class = "number", two(one$hold)),
          tag$td(class = "number", knob),
          tag$td(settings_words(one))
        )
      })
    )
  )
}
