# Measuring in a run: what waits for it goes to worker processes, case by case, or is
# measured here where there are none.

# Which takes are to be measured. Numbers of other measures than today's (their
# `version`) go first, so that the two are never mixed.
unscored_takes <- function(store, takes, version, again = FALSE) {
  if (again || !identical(get_facts(store)$measures, version)) {
    forget_measured(store, version)
  }

  which(takes$state == "made" & !takes$take %in% read_scored(store))
}

# What has still to be measured in a run. `takes` are the run's RunTakes, `workers` its
# WorkerJobs.
Measuring <- R6::R6Class(
  "sprenn_measuring",
  cloneable = FALSE,
  public = list(
    initialize = function(store, suite, takes, workers, status, waiting = integer()) {
      private$store <- store
      private$suite <- suite
      private$takes <- takes
      private$workers <- workers
      private$status <- status
      private$waiting <- waiting
      private$kits <- small_cache()
      private$views <- cache_of_views()
    },

    add = function(ats) private$waiting <- c(private$waiting, ats),
    remove = function(ats) private$waiting <- setdiff(private$waiting, ats),

    # Measures what is next: in a worker, or a single take in this process.
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
        kit = private$kit_of(take$case)
      ))
    },

    # Scores that a worker gave back, or what it lacks.
    complete = function(job) {
      scores <- job$result
      if (identical(scores, "lacking")) {
        files <- lapply(stats::setNames(nm = names(job$kit$suite$files)), read_bytes)
        return(private$send(job, files))
      }

      if (inherits(scores, "condition")) {
        stop(scores)
      }

      private$longest <- max(private$longest, clock() - job$began)
      private$status$time_measuring(attr(scores, "seconds"), length(scores))
      # It may have been asked for again meanwhile: this was another picture.
      same <- private$takes$are_still(job$ats, job$sha256)
      private$keep(job$ats[same], scores[same])
    },

    measure_here = function(at) {
      take <- private$takes$row(at)
      began <- clock()
      scores <- score_bytes(
        take_bytes(private$store, take),
        case_named(private$suite, take$case),
        private$suite,
        private$views
      )
      private$status$time_measuring(clock() - began, 1)
      private$keep(at, list(scores))
    },

    # How long a worker may be silent about what it measures before another is asked:
    # a machine that is cut off says nothing of it.
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
    waiting = integer(),
    kits = NULL,
    views = NULL,
    # The longest that a worker took.
    longest = NULL,

    # What waits of the same case goes together, so that the case is got to know once; but
    # not so much that another process would stand idle for long, memory fill, or a stop
    # lose more than seconds of work.
    next_batch = function() {
      same <- private$takes$of_same_case(private$waiting[1], private$waiting)
      many <- min(
        24,
        private$workers$share_of(length(private$waiting)),
        sum(cumsum(private$takes$bytes(same)) < 1.2e7)
      )
      ats <- utils::head(same, max(fewest_measured, many))
      private$waiting <- setdiff(private$waiting, ats)
      ats
    },

    send = function(job, files = NULL) {
      pictures <- lapply(job$ats, function(at) {
        take_bytes(private$store, private$takes$row(at))
      })
      private$workers$send(
        job,
        "score_elsewhere",
        list(job$kit, pictures, private$workers$far, files),
        self$patience()
      )
    },

    kit_of = function(case_id) {
      private$kits$get(case_id, {
        case <- case_named(private$suite, case_id)
        suite <- small_suite(private$suite, case)
        list(id = hash_of(list(case_id, suite$cases)), suite = suite)
      })
    },

    keep = function(ats, scores) {
      if (length(ats) > 0) {
        record_scores(private$store, private$takes$row(ats)$take, scores)
        private$status$count_scored(length(ats))
      }
    }
  )
)

# So many go together, and for so many a place is kept free while others are made.
fewest_measured <- 4

# What another process is sent to make or measure a take: it needs no store. What it
# works out from a case's kit is kept there; another machine gets the files once.

# The part of a suite that measuring one case looks at, which is first.
small_suite <- function(suite, case) {
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

# What this process was sent before, if it is one that works for another.
workshop <- list(suites = small_cache(), views = cache_of_views(), engines = small_cache())

# Measures takes of one case in a worker. "lacking" where that is on another machine
# and does not have the pictures that the case's files name.
score_elsewhere <- function(kit, pictures, far = FALSE, files = NULL) {
  if (far && is.null(files) && !workshop$suites$has(kit$id)) {
    return("lacking")
  }

  known <- workshop$suites$get(kit$id, unpack_suite(kit$suite, files))
  began <- clock()
  scores <- tryCatch(
    lapply(pictures, score_bytes, known$cases[[1]], known, workshop$views),
    sprenn_error = identity
  )
  structure(scores, seconds = clock() - began)
}

# A suite whose files lie on another machine: they are written here, and the suite
# names these.
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

# Makes a picture in a worker, by an engine that is built there once. Failures come
# back as values; so does it that the engine can't be built there, or that its files
# are "lacking".
make_elsewhere <- function(plan, request, files = NULL) {
  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  if (isTRUE(plan$far) && !workshop$engines$has(id)) {
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
    workshop$engines$get(id, build_engine(plan$wanted, plan$name, plan$folder)),
    error = identity
  )
  if (inherits(engine, "condition")) {
    return(structure(list(why = conditionMessage(engine)), class = "sprenn_unbuilt"))
  }

  tryCatch(make_picture(engine, request), sprenn_failure = function(e) {
    structure(
      unclass(e)[c("message", "kind", "seconds", "cost", "retry_after")],
      class = class(e)
    )
  })
}
