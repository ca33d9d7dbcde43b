# What a page is told of a run: how it stands, and the verdict so far.

# The state in the words and numbers that the page shows.
told_of_state <- function(state, trial, silent) {
  takes <- state$takes
  total <- sum(takes[c("planned", "made", "failed", "refused")]) - takes[["left_out"]]
  known <- trial$lineup$pipelines$pipeline
  list(
    state = state$state,
    words = paste0(state_words(state), if (silent > silence) {
      paste0("; no sign of life for ", show_seconds(silent))
    }),
    doing = doing_words(state),
    done = takes[["made"]] + takes[["failed"]] + takes[["refused"]],
    total = total,
    measured = takes[["measured"]],
    counts = listed_rows(told_counts(state, total)),
    newest = listed_rows(told_takes(state$newest, trial)),
    flawed = listed_rows(told_takes(state$flawed, trial)),
    engines = listed_rows(state$engines),
    failures = listed_rows(new_table(
      state$failures[c("pipeline", "message", "takes")],
      failure = gsub("_", " ", state$failures$failure),
      planned = state$failures$state == "planned",
      advice = ifelse(is.na(state$failures$advice), "", state$failures$advice)
    )),
    pipelines = listed_rows(new_table(
      state$pipelines[setdiff(names(state$pipelines), "cost")],
      cost = show_money(state$pipelines$cost),
      # Steps of chains can't be left out by themselves.
      is_choice = state$pipelines$pipeline %in% known
    ))
  )
}

told_counts <- function(state, total) {
  takes <- state$takes
  counts <- c(
    made = paste(takes[["made"]], "of", total),
    `failed or refused` = takes[["failed"]] + takes[["refused"]],
    measured = takes[["measured"]],
    cost = money_words(state),
    `in flight` = if (!is.na(state$holder)) takes[["in_flight"]],
    `time left` = if (!is.na(state$left)) paste("about", show_seconds(state$left))
  )
  new_table(name = names(counts), value = unname(counts))
}

doing_words <- function(state) {
  if (!is.null(state$asking)) {
    paste0(state$words, ": ", state$asking[1], " of ", state$asking[2], " calls")
  } else {
    state$words
  }
}

# Whether takes that a page holds still are measured by now, and their flaws.
told_flaws <- function(store, takes) {
  takes <- utils::head(as.character(unlist(takes)), most_held)
  listed_rows(with_flaws(new_table(take = takes), store))
}

# A page shows fewer.
most_held <- 20

told_takes <- function(newest, trial) {
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  at <- match(newest$case, ids)
  new_table(
    newest[c("take", "pipeline", "case", "seed", "measured", "flaws", "serious")],
    control = ifelse(is.na(newest$control), "", newest$control),
    made = sub(".*T(.*)Z", "\\1 UTC", newest$made_at),
    seconds = show_seconds(newest$seconds),
    reference = vapply(at, function(i) {
      if (is.na(i) || is.null(trial$suite$cases[[i]]$reference)) 0L else i
    }, 0L)
  )
}

# A table as a list of its rows.
listed_rows <- function(table) {
  I(lapply(seq_len(nrow(table)), function(i) as.list(table[i, , drop = FALSE])))
}

# The verdict of each of the brief's purposes on what is measured, as HTML.
verdicts_so_far <- function(trial, run) {
  tag <- htmltools::tags
  jobs <- brief_jobs(trial$brief)
  as.character(htmltools::tagList(lapply(jobs, function(job) {
    verdict <- tryCatch(
      choose_pipeline(trial, run, if (!is.na(job)) job),
      sprenn_error = identity
    )
    tag$article(
      if (length(jobs) > 1) tag$h3(job),
      if (inherits(verdict, "condition")) {
        tag$p(error_lines(verdict)[1])
      } else {
        verdict_so_far(verdict)
      }
    )
  })))
}

verdict_so_far <- function(verdict) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  htmltools::tagList(
    tag$p(class = "headline", words$headline),
    early_words(verdict),
    if (length(words$standing)) tag$p(unbroken(words$standing[1])),
    if (!verdict$state %in% leaderless) leaders_table(verdict)
  )
}

# How much of it is there, and why it may still change.
early_words <- function(verdict) {
  open <- sum(verdict$table$state == "planned")
  if (open > 0 && !verdict$state %in% leaderless) {
    htmltools::tags$p(
      class = "early",
      paste0(
        "Early: ", nrow(verdict$table) - open, " of ", nrow(verdict$table), " takes are in, and ",
        "not the same ones of each pipeline. The order may change; don't choose by this yet."
      )
    )
  }
}
