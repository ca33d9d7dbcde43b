# A run that stops when it is decided: rounds of one seed of every case, after each of which
# the brief's purposes are looked at. What is known of the race is kept with the run's
# facts, so that it goes on where it was and a later choice knows of the looks.

# The number of the round in which each take is made: the first seed of its case, the second,
# and so on.
race_rounds <- function(takes) {
  key <- paste(takes$case, takes$seed)
  first <- takes[!duplicated(key), ]
  number <- stats::ave(seq_len(nrow(first)), first$case, FUN = seq_along)
  number[match(key, key[!duplicated(key)])]
}

# The race so far: `looks`, how many rounds there are in all, `rounds`, how many are done,
# and `jobs`, for each purpose its `state`, `best`, `confidence` and who has `dropped` out.
read_race <- function(store) {
  told <- get_facts(store)$race
  if (is.null(told)) {
    return(NULL)
  }
  race <- jsonlite::fromJSON(told, simplifyVector = FALSE)
  race$jobs <- lapply(race$jobs, function(one) utils::modifyList(one, list(dropped = as.character(unlist(one$dropped)))))
  race
}

write_race <- function(store, race) set_facts(store, race = to_json(race))

# What a choice has to know of a run's race, if it was one.
race_of <- function(store, job) {
  race <- read_race(store)
  if (is.null(race)) {
    return(NULL)
  }
  own <- race$jobs[[race_name(job)]]
  list(looks = race$looks, over = isTRUE(race$closed) && !is.null(own))
}

race_name <- function(job) if (is.na(job)) "all" else job

# Makes the takes of one round after the other, by `make(wanted)`, which takes a logical for
# each take of the store and returns whether it was stopped. `planned` says which takes
# the plan has.
run_race <- function(store, trial, planned, make) {
  takes <- read_takes(store)
  round <- race_rounds(takes)
  race <- read_race(store) %||% list(rounds = 0, jobs = lapply(stats::setNames(nm = vapply(brief_jobs(trial$brief), race_name, "")), function(job) list(state = "open", dropped = character())))
  race$looks <- max(round[planned])
  race$closed <- FALSE
  write_race(store, race)
  for (now in seq(race$rounds + 1, length.out = max(0, race$looks - race$rounds))) {
    open <- names(Filter(function(one) one$state == "open", race$jobs))
    if (length(open) == 0) break
    wanted <- planned & round <= now & wanted_in_race(takes, trial, race, open)
    if (make(wanted)) {
      return(race)
    }
    takes <- read_takes(store)
    # An engine that is away has to be waited for.
    if (any(takes$state[wanted] == "planned")) {
      return(race)
    }
    for (job in open) race$jobs[[job]] <- look_at_race(store, trial, job, race)
    race$rounds <- now
    write_race(store, race)
  }
  race$closed <- TRUE
  write_race(store, race)
  race
}

# Whoever makes all takes after all has the race's looks behind them all the same.
end_race <- function(store) {
  race <- read_race(store)
  if (!is.null(race)) write_race(store, utils::modifyList(race, list(closed = FALSE)))
  NULL
}

# Takes of a purpose that is open still, and of steps that lead to a pipeline that is still in.
wanted_in_race <- function(takes, trial, race, open) {
  steps <- all_steps(trial$lineup)
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")[match(takes$case, vapply(trial$suite$cases, `[[`, "", "id"))]
  wanted <- rep(FALSE, nrow(takes))
  for (job in open) {
    running <- setdiff(trial$lineup$pipelines$pipeline, race$jobs[[job]]$dropped)
    needed <- running
    while (length(more <- setdiff(stats::na.omit(steps$follows[steps$pipeline %in% needed]), needed))) needed <- c(needed, more)
    wanted <- wanted | ((job == "all" | jobs == job) & takes$pipeline %in% needed)
  }
  wanted
}

look_at_race <- function(store, trial, job, race) {
  own <- race$jobs[[job]]
  brief <- brief_for(trial$brief, if (job != "all") job)
  told <- deciding_table(store, trial, brief, trial$lineup$pipelines$pipeline)
  table <- told[told$state != "planned", ]
  if (nrow(table) == 0) {
    return(own)
  }
  step <- race_step(table, brief, race$looks, own$dropped)
  utils::modifyList(own, step[c("state", "best", "confidence", "information", "dropped")])
}
