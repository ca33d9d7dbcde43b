# Controls: takes that are made again with one thing changed, to show what that thing does. They are
# measured, and never chosen between.

# Which of a case's takes a control is made of: the first seeds of a few cases of every job, spread
# over the suite, on the pipelines that were named (with the steps before them). A pipeline on
# which the control would change nothing has none: one that leaves the look out shows nothing
# without it.
control_grid <- function(control, trial, steps) {
  suite <- trial$suite
  sample <- trial$lineup$control_sample
  wanted <- steps_to_control(control, trial$lineup, steps)
  tried <- which(wanted)
  tried <- tried[!duplicated(steps[tried, c("engine", "stage", "gives", "jobs")])]
  jobs <- vapply(suite$cases, `[[`, "", "job")
  shows <- function(i, case) {
    about <- trial$lineup$engines[[steps$engine[i]]]$about
    case$job %in% steps$jobs[[i]] &&
      control_shows(control, case, steps$gives[[i]], steps$stage[i], about$takes, suite)
  }

  can <- vapply(suite$cases, function(case) !is.null(Find(function(i) shows(i, case), tried)), NA)
  chosen <- unlist(lapply(unique(jobs), function(job) {
    fitting <- which(jobs == job & can)
    if (length(fitting) > sample$cases) {
      fitting <- fitting[round(seq(1, length(fitting), length.out = sample$cases))]
    }

    fitting
  }))
  grid <- take_grid(trial, steps)
  grid <- grid[grid$case %in% chosen & grid$seed <= sample$seeds & wanted[grid$step], ]
  cells <- unique(grid[c("step", "case")])
  told <- mapply(function(step, case) shows(step, suite$cases[[case]]), cells$step, cells$case)
  # Of a chain all steps are made again, if one of them shows something.
  owner <- sub(":[0-9]+$", "", steps$pipeline)
  whose <- function(rows) paste(rows$case, owner[rows$step])
  grid <- grid[whose(grid) %in% whose(cells[as.logical(told), ]), ]
  grid$control <- rep(control, nrow(grid))
  grid
}

# The steps of pipelines that get a control. Nobody is asked to make one by hand, and an engine that
# needs a reference can't show what it does without.
steps_to_control <- function(control, lineup, steps) {
  named <- lineup$control_sample$pipelines
  wanted <- is.null(named) | sub(":[0-9]+$", "", steps$pipeline) %in% named
  by_hand <- vapply(steps$engine, function(name) is_by_hand(lineup$engines[[name]]), NA)
  alone <- vapply(
    steps$engine,
    function(name) "text_alone" %in% lineup$engines[[name]]$about$takes,
    NA
  )
  unname(wanted & !by_hand & (control != "no_reference" | alone[chain_root(steps)]))
}

# The first step of the chain that each step belongs to.
chain_root <- function(steps) {
  root <- seq_len(nrow(steps))
  repeat {
    before <- match(steps$follows[root], steps$pipeline)
    if (all(is.na(before))) {
      return(root)
    }

    root <- ifelse(is.na(before), root, before)
  }
}

# Whether a control changes what a step asks for in a case. What may not change (a mask, added
# canvas) needs its reference.
control_shows <- function(control, case, gives, stage, takes, suite) {
  given <- given_case(case, gives, stage)
  said <- function(one) vapply(one$prompt, `[[`, "", "say")
  switch(control,
    blank_prompt = length(said(given)) > 0 && !identical(said(given), neutral_phrase),
    swapped_prompt = !case$neutral && !is.null(other_prompt(case, suite)) &&
      !identical(said(given_under(case, control, gives, stage, suite)$case), said(given)),
    no_reference = stage == 1 && length(given$references) > 0 &&
      case$job %in% c("restyle", "vary", "blend"),
    no_look = "look" %in% takes && (!is.na(given$look) || shows_reference_as_look(given)),
    no_guide = any(names(given$guides) %in% takes),
    "repeat" = TRUE
  )
}

# The prompt of the next case that asks for something else, of the same job if there is one:
# mending is not asked for in the words of repainting.
other_prompt <- function(case, suite) {
  ids <- vapply(suite$cases, `[[`, "", "id")
  jobs <- vapply(suite$cases, `[[`, "", "job")
  at <- match(case$id, ids)
  says <- function(one) vapply(one$prompt, `[[`, "", "say")
  next_ones <- c(seq_along(ids), seq_along(ids))[at + seq_len(length(ids) - 1)]
  for (i in next_ones[order(jobs[next_ones] != case$job)]) {
    other <- suite$cases[[i]]
    if (!other$neutral && !any(says(other) %in% says(case))) {
      return(other$prompt)
    }
  }
}

# The case as a control asks for it.
controlled_case <- function(case, control, suite) {
  if (is.na(control)) {
    return(case)
  }

  switch(control,
    blank_prompt = case["prompt"] <- list(list()),
    swapped_prompt = case$prompt <- other_prompt(case, suite),
    no_reference = case[c("references", "guides")] <- list(list(), list()),
    no_look = case[c("look", "look_from")] <- list(NA_character_, "none"),
    no_guide = case$guides <- list()
  )
  case
}

# A case as a step gives it, `case`, and with what a control takes away, `controlled`. Another
# case's prompt is worded as the step words prompts; all other controls take away what the step
# gives, too.
given_under <- function(whole, control, gives, stage, suite) {
  if (control %in% "swapped_prompt") {
    case <- given_case(controlled_case(whole, control, suite), gives, stage)
    return(list(case = case, controlled = case))
  }

  case <- given_case(whole, gives, stage)
  list(case = case, controlled = controlled_case(case, control, suite))
}
