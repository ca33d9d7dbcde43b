# Measuring in a run: waiting takes go to worker processes, case by case, or are measured here if
# there are none.

# The takes that need measuring. Scores of another `version` of the measures are deleted first, so
# that the two are never mixed.
unscored_takes <- function(store, takes, version, again = FALSE) {
  if (again || !identical(get_facts(store)$measures, version)) {
    forget_measured(store, version)
  }

  which(takes$state == "made" & !takes$take %in% read_scored(store))
}

# The takes of a run that are waiting to be measured. `takes` are the run's RunTakes, `workers`
# its WorkerJobs, `shares` what it shares with other processes.
Measuring <- R6::R6Class(
  "sprenn_measuring",
  cloneable = FALSE,
  public = list(
    initialize = function(store, suite, takes, workers, status, shares, waiting = integer()) {
      private$store <- store
      private$suite <- suite
      private$takes <- takes
      private$workers <- workers
      private$status <- status
      private$shares <- shares
      private$waiting <- waiting
      private$bundles <- small_cache()
      private$views <- cache_of_views()
    },

    add = function(ats) private$waiting <- c(private$waiting, ats),
    remove = function(ats) private$waiting <- setdiff(private$waiting, ats),
    clear = function() private$waiting <- integer(),

    # Measures the next takes in a worker, or a single take in this process.
    begin_next = function() {
      if (!private$workers$are_there()) {
        at <- private$waiting[1]
        private$waiting <- private$waiting[-1]
        return(self$measure_here(at))
      }

      ats <- private$next_batch()
      take <- private$takes$row(ats[1])
      private$send(list(
        at = ats[1],
        ats = ats,
        take = take,
        began = clock(),
        sha256 = private$takes$row(ats)$sha256,
        bundle = private$bundle_of(take$case)
      ))
    },

    # Handles a worker's answer: scores, or a request for files.
    complete = function(job) {
      result <- job$result
      if (identical(result, "lacking")) {
        files <- lapply(stats::setNames(nm = names(job$bundle$suite$files)), read_bytes)
        return(private$send(job, files))
      }

      if (inherits(result, "condition")) {
        stop(result)
      }

      private$longest <- max(private$longest, clock() - job$began)
      private$status$time_measuring(result$seconds, length(result$scores))
      # The take may have been made again meanwhile; scores of the old picture are dropped.
      same <- private$takes$are_still(job$ats, job$sha256)
      private$keep(job$ats[same], result$scores[same])
    },

    measure_here = function(at) {
      take <- private$takes$row(at)
      began <- clock()
      scores <- score_bytes(
        private$picture_of(at),
        case_named(private$suite, take$case),
        private$suite,
        private$views
      )
      private$status$time_measuring(clock() - began, 1)
      private$keep(at, list(scores))
    },

    # How long a worker may take to measure before another one is asked: a machine that is cut off
    # gives no sign.
    patience = function() {
      if (is.null(private$longest)) 300 else max(20, 8 * private$longest)
    }
  ),
  active = list(
    count = function() length(private$waiting)
  ),
  private = list(
    store = NULL,
    suite = NULL,
    takes = NULL,
    workers = NULL,
    status = NULL,
    shares = NULL,
    waiting = integer(),
    bundles = NULL,
    views = NULL,
    # The longest that a worker took.
    longest = NULL,

    # Takes of the same case are measured together, so that the case is prepared once; but not so
    # many that another process would stand idle for long, memory fill, or a stop lose more than
    # seconds of work.
    next_batch = function() {
      same <- private$takes$of_same_case(private$waiting[1], private$waiting)
      many <- min(
        most_measured,
        private$workers$share_of(length(private$waiting)),
        sum(cumsum(private$takes$bytes(same)) < 1.2e7)
      )
      ats <- utils::head(same, max(fewest_measured, many))
      private$waiting <- setdiff(private$waiting, ats)
      ats
    },

    send = function(job, files = NULL) {
      pictures <- lapply(job$ats, private$picture_of)
      private$workers$send(
        job,
        "score_elsewhere",
        list(job$bundle, pictures, private$workers$far, files),
        self$patience()
      )
    },

    # The bytes of a take. Where its step gave guides of its own, or enlarged, that comes along.
    picture_of = function(at) {
      take <- private$takes$row(at)
      step <- private$takes$step(at)
      gives <- step$gives[[1]]
      bytes <- take_bytes(private$store, take)
      if (!is.null(gives$guides)) {
        case <- case_named(private$suite, take$case)
        attr(bytes, "guides") <- given_case(case, gives, step$stage)$guides
      }

      if (!is.null(gives$enlarge)) {
        before <- if (!is.na(take$parent)) {
          take_bytes(private$store, read_take(private$store, take$parent))
        }
        attr(bytes, "enlarged") <- list(times = gives$enlarge, before = before)
      }

      bytes
    },

    bundle_of = function(case_id) {
      private$bundles$get(case_id, {
        case <- case_named(private$suite, case_id)
        suite <- suite_for_case(private$suite, case)
        list(id = hash_of(list(case_id, suite$cases)), suite = suite)
      })
    },

    keep = function(ats, scores) {
      if (length(ats) == 0) {
        return()
      }

      takes <- private$takes$row(ats)
      in_transaction(private$store, {
        own <- private$shares$may_record_scores(takes$take, takes$sha256)
        if (any(own)) {
          record_scores(private$store, takes$take[own], scores[own])
          private$shares$note_ended(takes$take[own])
        }
      })
      private$status$count_scored(sum(own))
    }
  )
)

# The smallest and the largest batch; from the smaller number of waiting takes on, one place is
# reserved for measuring.
fewest_measured <- 4
most_measured <- 24

# Jobs for worker processes, which make or measure a take without access to the store. What a
# worker derives from a case is cached there; another machine gets the files once.

# The part of a suite that is needed to measure one case, which comes first in it.
suite_for_case <- function(suite, case) {
  small <- suite[setdiff(names(suite), c("cases", "files"))]
  small$cases <- c(
    list(case),
    lapply(decoy_cases(suite, case), function(one) one[c("id", "reference")])
  )
  if (is.na(case$look)) {
    small$looks <- list()
  }

  texts <- unlist(list(small$cases, small$looks, small$measures), use.names = FALSE)
  small$files <- suite$files[intersect(names(suite$files), texts)]
  small
}

# The caches of this process when it is a worker.
worker_caches <- list(suites = small_cache(), views = cache_of_views(), engines = small_cache())

# Measures takes of one case in a worker. Returns "lacking" if the worker is on another machine
# and does not have the case's files.
score_elsewhere <- function(bundle, pictures, far = FALSE, files = NULL) {
  if (far && is.null(files) && !worker_caches$suites$has(bundle$id)) {
    return("lacking")
  }

  known <- worker_caches$suites$get(bundle$id, unpack_suite(bundle$suite, files))
  began <- clock()
  tryCatch(
    {
      scores <- lapply(pictures, score_bytes, known$cases[[1]], known, worker_caches$views)
      list(scores = scores, seconds = clock() - began)
    },
    sprenn_error = identity
  )
}

# Unpacks a suite from another machine: writes its files here and changes the paths.
unpack_suite <- function(suite, files) {
  if (is.null(files)) {
    return(suite)
  }

  folder <- file.path(tempdir(), "sprenn-pictures")
  here <- vapply(
    names(files),
    function(path) file.path(folder, paste0(hash_of(path), ".", tools::file_ext(path))),
    ""
  )
  write_named(folder, stats::setNames(files, basename(here)))
  suite <- rapply(
    suite,
    function(text) ifelse(text %in% names(here), here[text], text),
    "character",
    how = "replace"
  )
  names(suite$files) <- unname(here[names(suite$files)])
  suite
}

# Makes pictures in a worker, with an engine that is built there once. Returns a list with an answer
# for each request, up to the first failure: what is wrong with the engine would be wrong with the
# next one too. Failures are returned as values, and so is the fact that the engine can't be built
# there, or that its files are "lacking".
make_elsewhere <- function(plan, packed, files = NULL) {
  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  if (isTRUE(plan$far) && !worker_caches$engines$has(id)) {
    if (is.null(files) && length(plan$files)) {
      return("lacking")
    }

    plan$folder <- file.path(tempdir(), "sprenn-engines", id)
    write_named(plan$folder, files)
    Sys.chmod(file.path(plan$folder, names(files)), "700")
    dir.create(plan$folder, showWarnings = FALSE, recursive = TRUE)
    plan$folder <- normalizePath(plan$folder)
  }

  engine <- tryCatch(
    worker_caches$engines$get(id, build_engine(plan$wanted, plan$name, plan$folder)),
    error = identity
  )
  if (inherits(engine, "condition")) {
    return(structure(list(why = conditionMessage(engine)), class = "sprenn_unbuilt"))
  }

  make_until_failure(engine, unpack_requests(packed))
}

make_until_failure <- function(engine, requests) {
  answers <- list()
  for (request in requests) {
    made <- tryCatch(call_engine(engine, request), sprenn_failure = identity)
    if (inherits(made, "condition")) {
      return(c(answers, list(plain_failure(made))))
    }

    several <- length(request$seeds) > 1
    answers <- c(answers, list(if (several) lapply(made, plain_failure) else made))
  }

  answers
}

# A failure as it travels, without the call that it came from; a picture as it is.
plain_failure <- function(made) {
  if (!inherits(made, "condition")) {
    return(made)
  }

  structure(
    unclass(made)[c("message", "kind", "seconds", "cost", "retry_after")],
    class = class(made)
  )
}
