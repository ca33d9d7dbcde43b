# Answers of engines as what is recorded of them, and failures that come from none.

# What a killed run had sent to such an engine may have been paid for: only a person asks again.
fail_unanswered <- function(store) {
  takes <- read_waiting(store, "sent")
  if (length(takes)) {
    record_unanswered(store, takes)
  }
}

record_unanswered <- function(store, takes) {
  lost <- as_paid(failure_of("timed_out", "The run ended before it was answered.", NA_real_))
  record_failed(store, takes, lost, NA_character_)
}

# An answer to a job as `jobs` of one take each and their `answers`, with the hashes of pictures. A
# failure of the whole call stays one.
parts_of_answer <- function(job, made) {
  whole <- inherits(made, "condition") || length(job$at) == 1
  list(
    jobs = if (whole) list(job) else split_job(job),
    answers = lapply(if (whole) list(made) else made, function(one) {
      if (!inherits(one, "condition")) {
        one$sha256 <- sha256_of(one$bytes)
      }

      one
    })
  )
}

# A job of several takes as jobs of one each.
split_job <- function(job) {
  lapply(seq_along(job$at), function(i) {
    one <- job
    one$at <- job$at[i]
    one$take <- job$take[i, ]
    one$described <- job$described[i]
    one
  })
}

# What is recorded of jobs of one take each, a row a job.
recorded_as <- function(jobs, answers, pictures) {
  new_table(
    take = vapply(jobs, function(job) job$take$take, ""),
    file = pictures$file,
    sha256 = pictures$sha256,
    width = vapply(answers, `[[`, 0, "width"),
    height = vapply(answers, `[[`, 0, "height"),
    bytes = vapply(answers, function(made) length(made$bytes), 0L),
    seconds = vapply(answers, `[[`, 0, "seconds"),
    first_call = vapply(jobs, `[[`, NA, "first"),
    cost = vapply(answers, `[[`, 0, "cost"),
    request = vapply(jobs, `[[`, "", "described"),
    answer = vapply(answers, function(made) {
      to_json(c(list(seed = made$seed, waited = made$waited), made$says))
    }, "")
  )
}

# A failure that does not come from an engine.
failure_of <- function(kind, message, seconds, cost = NA_real_) {
  errorCondition(
    message,
    class = c(paste0("sprenn_failure_", kind), "sprenn_failure"),
    kind = kind,
    seconds = seconds,
    cost = cost
  )
}

failure_of_worker <- function(why, late, seconds) {
  if (late) {
    failure_of("timed_out", paste("Nothing came back:", why), seconds)
  } else {
    said <- paste0("The process that makes it ends every time (", why, ").")
    failure_of("engine_error", said, seconds)
  }
}
