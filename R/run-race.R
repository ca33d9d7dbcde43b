# A race: a run that stops when the choice is settled. A round is a block of cases with one seed
# each, after which the brief's purposes are evaluated. The state of the race is kept with the
# run's facts, so that it can resume and a later choice accounts for the looks.

# The smallest block; fewer cases say hardly anything.
fewest_in_block <- 4L

# The number of the round in which each take is made: the first seed of a block of the cases
# of its job, the first seed of the next block, and once all have one, the second seeds.
# Blocks are dealt in turns, so that each is like the whole.
race_rounds <- function(takes, jobs) {
  key <- paste(takes$case, takes$seed, sep = "\r")
  first <- !duplicated(key)
  cases <- takes$case[first]
  seed <- stats::ave(seq_along(cases), cases, FUN = seq_along)
  each <- unique(cases)
  job <- jobs[match(each, takes$case)]
  place <- stats::ave(seq_along(each), job, FUN = seq_along)
  blocks <- pmax(
    1,
    tabulate(match(job, unique(job)))[match(job, unique(job))] %/% fewest_in_block
  )
  at <- match(cases, each)
  round <- (seed - 1) * blocks[at] + (place[at] - 1) %% blocks[at] + 1
  round[match(key, key[first])]
}

write_race <- function(store, race) set_facts(store, race = to_json(race))

# Makes one round after the other with `make(wanted)`, which takes a logical for each take of the
# store and returns whether it was stopped. `planned` says which takes the plan has.
run_race <- function(store, trial, planned, make) {
  takes <- read_takes(store)
  jobs <- jobs_of_takes(takes, trial$suite)
  round <- race_rounds(takes, jobs)
  race <- read_race(store) %||% new_race(trial$brief)
  race$looks <- max(round[planned])
  for (name in names(race$jobs)) {
    own <- planned & (name == "all" | jobs == name) & is.na(takes$control)
    race$jobs[[name]][c("looks", "cases", "seeds")] <- list(
      max(round[own], 1),
      length(unique(takes$case[own])),
      max(0, table(unique(takes[own, c("case", "seed")])$case))
    )
  }

  race$closed <- FALSE
  write_race(store, race)
  for (now in seq(race$rounds + 1, length.out = max(0, race$looks - race$rounds))) {
    open <- names(Filter(function(one) one$state == "open", race$jobs))
    if (length(open) == 0) {
      break
    }

    wanted <- planned & round <= now & wanted_in_race(takes, trial, race, open)
    if (make(wanted)) {
      return(race)
    }

    takes <- read_takes(store)
    # Whoever was left out meanwhile has dropped out.
    left_out <- read_left_out(store)
    for (job in open) {
      race$jobs[[job]]$dropped <- union(race$jobs[[job]]$dropped, left_out)
    }

    wanted <- wanted & wanted_in_race(takes, trial, race, open)
    # An engine that is away has to be waited for.
    if (any(takes$state[wanted] == "planned")) {
      return(race)
    }

    for (job in open) {
      race$jobs[[job]] <- look_at_race(store, trial, job, race)
    }

    race$rounds <- now
    write_race(store, race)
  }

  race$closed <- TRUE
  write_race(store, race)
  race
}

new_race <- function(brief) {
  names <- vapply(brief_jobs(brief), race_name, "")
  list(
    rounds = 0,
    jobs = lapply(stats::setNames(nm = names), function(job) {
      list(state = "open", dropped = character())
    })
  )
}

jobs_of_takes <- function(takes, suite) {
  vapply(suite$cases, `[[`, "", "job")[match(takes$case, vapply(suite$cases, `[[`, "", "id"))]
}

# Completing the run later does not undo the race's looks.
end_race <- function(store) {
  race <- read_race(store)
  if (!is.null(race)) {
    write_race(store, utils::modifyList(race, list(closed = FALSE)))
  }

  NULL
}

# Takes of a purpose that is open still, and of steps that lead to a pipeline that is still in.
wanted_in_race <- function(takes, trial, race, open) {
  jobs <- jobs_of_takes(takes, trial$suite)
  wanted <- rep(FALSE, nrow(takes))
  for (job in open) {
    running <- setdiff(trial$lineup$pipelines$pipeline, race$jobs[[job]]$dropped)
    needed <- steps_towards(trial$lineup, running)
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

  step <- race_step(table, brief, race_of(store, brief$job), own$dropped)
  utils::modifyList(own, step[c("state", "best", "confidence", "information", "dropped")])
}
