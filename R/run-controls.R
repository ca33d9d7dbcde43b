# Controls: takes that are made again with one thing changed, to show what that
# thing does. They are measured, and never chosen between.

# Which of a case's takes a control is made of: the first seeds of a few cases of
# every job, spread over the suite.
control_grid <- function(control, trial, steps) {
  grid <- take_grid(trial, steps)
  cases <- trial$suite$cases
  can <- vapply(cases, can_control, NA, control = control, suite = trial$suite)
  jobs <- vapply(cases, `[[`, "", "job")
  sample <- trial$lineup$control_sample
  chosen <- unlist(lapply(unique(jobs), function(job) {
    fitting <- which(jobs == job & can)
    if (length(fitting) > sample$cases) {
      fitting <- fitting[round(seq(1, length(fitting), length.out = sample$cases))]
    }

    fitting
  }))
  # Nobody is asked to make one by hand.
  by_hand <- vapply(
    steps$engine,
    function(name) trial$lineup$engines[[name]]$kind == "folder",
    NA
  )
  grid <- grid[grid$case %in% chosen & grid$seed <= sample$seeds & !by_hand[grid$step], ]
  # An engine that needs a reference can't show what it does without.
  takes <- lapply(steps$engine, function(name) trial$lineup$engines[[name]]$about$takes)
  if (control == "no_reference") {
    alone <- vapply(takes, function(own) "text_alone" %in% own, NA)
    root <- chain_root(steps)
    grid <- grid[alone[root[grid$step]], ]
  }

  grid$control <- rep(control, nrow(grid))
  grid
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

# Whether a control changes anything in a case. What may not change (a mask, added
# canvas) needs its reference.
can_control <- function(case, control, suite) {
  switch(control,
    blank_prompt = !case$neutral,
    swapped_prompt = !case$neutral && !is.null(other_prompt(case, suite)),
    no_reference = length(case$references) > 0 && case$job %in% c("restyle", "vary", "blend"),
    no_look = !is.na(case$look),
    no_guide = length(case$guides) > 0,
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
    no_look = case$look <- NA_character_,
    no_guide = case$guides <- list()
  )
  case
}
