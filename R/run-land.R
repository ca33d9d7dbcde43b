# Where takes land: kept, tried again, doubted, recorded as failed, or left with their
# engine.

failure_of <- function(kind, message, seconds) {
  rlang::error_cnd(
    c(paste0("sprenn_failure_", kind), "sprenn_failure"),
    message = message,
    kind = kind,
    seconds = seconds,
    cost = NA_real_
  )
}

# What became of a take: kept, tried again, or recorded as failed.
land_take <- function(works, job, made) {
  lane <- job$lane
  lane$flying <- lane$flying - 1
  at <- job$at
  works$spent[at] <- add_spent(lane$engine, made, works$spent[at])
  if (works$spent[at] > 0) {
    made$cost <- works$spent[at]
  }

  if (!inherits(made, "condition")) {
    made <- doubt_twin(works, job, made)
  }

  if (inherits(made, "condition")) {
    return(land_failure(works, job, made))
  }

  lane$away <- NULL
  lane$not_before <- 0
  picture <- write_picture(works$store, made$bytes)
  beat(works, now = TRUE)
  record_made(
    works$store,
    job$take$take,
    picture,
    list(
      width = made$width,
      height = made$height,
      bytes = length(made$bytes),
      seconds = made$seconds,
      first_call = job$first,
      cost = made$cost,
      request = job$sent,
      answer = to_json(c(list(seed = made$seed, waited = made$waited), made$says))
    )
  )
  works$made[at] <- TRUE
  works$own <- c(works$own, job$take$take)
  works$takes$file[at] <- picture$file
  works$takes$sha256[at] <- picture$sha256
  works$takes$bytes[at] <- length(made$bytes)
  lane$made <- lane$made + 1
  if (!job$first) {
    lane$seconds <- lane$seconds + made$seconds
    lane$timed <- lane$timed + 1
  }

  works$cost <- works$cost + sum(made$cost, na.rm = TRUE)
  works$done <- works$done + 1
  note_event(works, "made", job, seconds = made$seconds, cost = made$cost)
  if (works$score) {
    works$to_score <- c(works$to_score, at)
  }

  # What was waiting for it can start.
  for (child in works$children[[job$take$take]]) {
    next_lane <- works$lanes[[works$steps$engine[works$step[child]]]]
    next_lane$queue <- c(child, next_lane$queue)
  }

  tell(works, now = TRUE)
}

# No two cases should give the same picture to the last byte: a server has delivered
# one of them for the other. Which of the two is the wrong one can't be told, so both
# are asked for again, once; what then comes again is what the engine makes of them.
doubt_twin <- function(works, job, made) {
  if (!job$lane$engine$kind %in% c("http", "inference") || works$doubted[job$at]) {
    return(made)
  }

  sha <- sha256_of(made$bytes)
  twin <- which(works$made & works$takes$sha256 %in% sha & works$takes$case != job$take$case)
  if (length(twin) == 0) {
    return(made)
  }

  works$doubted[job$at] <- TRUE
  for (at in twin[!works$doubted[twin]]) {
    unmake(works, at)
  }

  other <- works$takes[twin[1], ]
  failure <- failure_of(
    "bad_answer",
    paste0(
      "The picture that came back is the one for ", other$case, ", seed ", other$seed, "."
    ),
    made$seconds
  )
  failure$cost <- made$cost
  failure
}

# Sets a take that was made in this run to be made again, unless another step has
# worked on it already.
unmake <- function(works, at) {
  take <- works$takes[at, ]
  if (!take$take %in% works$own || take$take %in% works$takes$parent) {
    return()
  }

  works$doubted[at] <- TRUE
  works$made[at] <- FALSE
  measured <- record_planned(works$store, take$take) > 0
  lane <- works$lanes[[works$steps$engine[works$step[at]]]]
  lane$queue <- c(at, lane$queue)
  lane$made <- lane$made - 1
  works$done <- works$done - 1
  # What has been measured of it is measured again.
  if (measured) {
    works$expected <- works$expected + 1
  }

  works$to_score <- setdiff(works$to_score, at)
}

land_failure <- function(works, job, failure) {
  if (failure$kind == "out_of_credit") {
    return(park(works, job$lane, job, failure))
  }

  # Nobody there: the engine is away, which is no fault of this take.
  if (job$lane$engine$kind %in% c("http", "inference") && failure$kind == "unreachable") {
    return(land_away(works, job, failure))
  }

  job$lane$away <- NULL
  now <- clock()
  tries <- works$tries[job$at]
  pause <- failure$retry_after %||% pause_after(tries, job$request$key)
  if (failure$kind == "busy") {
    job$lane$not_before <- max(job$lane$not_before, now + pause)
  }

  if (may_pass(failure, tries, pause)) {
    return(try_later(works, job, failure, now + pause))
  }

  land_failed(works, job, failure)
}

land_away <- function(works, job, failure) {
  now <- clock()
  lane <- job$lane
  works$tries[job$at] <- works$tries[job$at] - 1
  lane$away <- lane$away %||% list(since = now, asked = 0)
  lane$away$asked <- lane$away$asked + 1
  if (now - lane$away$since >= works$outage) {
    return(park(works, lane, job, failure))
  }

  lane$not_before <- now + min(15, pause_after(min(6, lane$away$asked), job$request$key))
  try_later(works, job, failure, lane$not_before)
}

try_later <- function(works, job, failure, due) {
  note_event(
    works,
    "to be tried again",
    job,
    kind = failure$kind,
    message = conditionMessage(failure),
    seconds = due - clock()
  )
  # What was on its way when the run was stopped stays planned.
  if (!works$stopping) {
    job$lane$later <- rbind(job$lane$later, data.frame(take = job$at, due = due))
  }
}

# A take that is given up, or left to a person.
land_failed <- function(works, job, failure) {
  beat(works, now = TRUE)
  record_failed(works$store, job$take$take, failure, job$sent)
  if (failure$kind != "awaited") {
    works$failed <- works$failed + 1
    job$lane$failed <- job$lane$failed + 1
  }

  works$done <- works$done + 1
  works$expected <- works$expected - works$score
  works$cost <- works$cost + sum(failure$cost, na.rm = TRUE)
  state <- if (failure$kind %in% c("refused", "awaited")) failure$kind else "failed"
  note_event(
    works,
    state,
    job,
    kind = failure$kind,
    message = conditionMessage(failure),
    cost = failure$cost
  )
  tell(works, now = TRUE)
}

# What needs a person stops this engine, and not the others. Its takes stay planned,
# this one too: nothing is wrong with them.
park <- function(works, lane, job, failure) {
  record_reason(works$store, job$take$take, failure)
  if (!is.null(lane$parked)) {
    return(invisible())
  }

  lane$parked <- conditionMessage(failure)
  note_event(works, "left alone", job, kind = failure$kind, message = lane$parked)
}
