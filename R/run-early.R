# Judges that are servers are asked about pictures as soon as a run has made them, while engines are
# at work on the next. ask_judges() asks what is still open after the run, judges that are R code
# altogether, and reports: so what goes wrong here only ends the asking early.

# One judge of a run, asked early.
EarlyJudge <- R6::R6Class(
  "sprenn_early_judge",
  cloneable = FALSE,
  public = list(
    initialize = function(judge, trial, store) {
      private$judge <- judge
      private$trial <- trial
      private$store <- store
      private$talks <- Conversations$new(judge$at_once)
    },

    # A take that was made, with its picture recorded. While enough wait, others are left for the
    # end.
    offer = function(take) {
      has_room <- length(private$waiting) < most_waiting
      if (!private$over && has_room && is_judged(take, private$trial)) {
        private$waiting <- c(private$waiting, list(take))
      }
    },

    # Sends what the judge has room for, and keeps what it has answered.
    step = function(seconds = 0) {
      private$talks$step(seconds)
      while (!private$over && private$talks$count < private$judge$at_once) {
        if (length(private$jobs) == 0 && length(private$waiting) == 0) {
          break
        }

        private$send_next()
      }
    },

    # Waits for the answers that are on their way.
    finish = function(alive) {
      private$over <- TRUE
      while (private$talks$count > 0) {
        alive()
        self$step(0.2)
      }
    },

    close = function() private$judge$close()
  ),
  active = list(
    name = function() private$judge$name,
    # How many calls were answered, and how many answers were kept.
    asked = function() private$.asked,
    kept = function() private$.kept
  ),
  private = list(
    judge = NULL,
    trial = NULL,
    store = NULL,
    talks = NULL,
    version = NULL,
    decoys = NULL,
    # Takes that it has not been asked about, and questions that are ready to be sent.
    waiting = list(),
    jobs = list(),
    # Pictures that it is being asked about.
    flying = character(),
    over = FALSE,
    .asked = 0L,
    .kept = 0L,

    send_next = function() {
      if (is.null(private$version)) {
        version <- tryCatch(private$judge$version(), error = identity)
        if (inherits(version, "condition")) {
          private$over <- TRUE
          return()
        }

        private$version <- version
        private$decoys <- decoys_of(private$judge, private$trial$suite)
      }

      if (length(private$jobs) == 0) {
        private$jobs <- private$next_questions()
      }

      if (length(private$jobs)) {
        job <- private$jobs[[1]]
        private$jobs <- private$jobs[-1]
        private$send(job)
      }
    },

    # Questions about the next takes of one case, as many as go into one call.
    next_questions = function() {
      case <- private$waiting[[1]]$case
      own <- which(vapply(private$waiting, function(take) take$case == case, NA))
      own <- utils::head(own, private$judge$batch)
      takes <- do.call(rbind, private$waiting[own])
      takes <- takes[!duplicated(takes$sha256), ]
      private$waiting <- private$waiting[-own]
      suite <- private$trial$suite
      case <- case_named(suite, case)
      reference <- if (!is.null(case$reference)) reference_key(case, suite)
      known <- read_answers_about(
        private$store,
        private$judge$name,
        private$version,
        c(takes$sha256, reference)
      )
      asked_before <- paste(known$subject, known$statement)
      asked <- questions_of_case(
        private$judge,
        case,
        suite,
        takes,
        private$decoys,
        asked_before
      )
      jobs <- lapply(asked$jobs, function(job) {
        flying <- vapply(job$subjects, function(one) one$sha256 %in% private$flying, NA)
        job$subjects <- job$subjects[!flying]
        job
      })
      jobs <- Filter(function(job) length(job$subjects) > 0, jobs)
      with_pixels(jobs, private$judge, private$trial, private$store)
    },

    send = function(job) {
      hashes <- vapply(job$subjects, `[[`, "", "sha256")
      private$flying <- c(private$flying, hashes)
      said <- tryCatch(put_to_judge(private$judge, job), error = identity)
      private$talks$begin(said, function(said) {
        private$flying <- setdiff(private$flying, hashes)
        private$settle(job, said)
      })
    },

    settle = function(job, said) {
      said <- checked_answer(private$judge, job, said)
      if (inherits(said, "condition")) {
        private$over <- TRUE
        return()
      }

      rows <- answer_rows(private$judge, job, said)
      record_answers(private$store, private$judge$name, private$version, rows)
      private$.asked <- private$.asked + 1L
      private$.kept <- private$.kept + length(rows$said)
    }
  )
)

# So many takes wait for a judge at most: enough that it is never idle.
most_waiting <- 256

# The judges of a trial that can be asked while it makes pictures.
early_judges <- function(trial, store) {
  talking <- Filter(function(judge) judge$converses, trial$brief$judges)
  unname(lapply(talking, EarlyJudge$new, trial, store))
}
