# Measuring in a run: what waits for it goes to the pool, case by case, or is measured
# here where there is none.

# Which takes are to be measured. Numbers of other measures than today's (their
# `version`) go first, so that the two are never mixed.
unscored_takes <- function(store, takes, version, again = FALSE) {
  if (again || !identical(get_facts(store)$measures, version)) {
    in_transaction(store$db, {
      for (table in c("scores", "prints")) {
        write_db(store$db, paste("DELETE FROM", table))
      }

      set_facts(store, measures = version)
    })
  }

  which(takes$state == "made" & !takes$take %in% read_scored(store))
}

# Measures the next take. What waits of the same case goes with it, so that the case is
# got to know once; but not so much that another process would stand idle for long,
# memory fill, or a stop lose more than seconds of work.
send_to_score <- function(works) {
  waiting <- works$to_score
  if (!has_workers(works)) {
    works$to_score <- waiting[-1]
    return(score_here(works, waiting[1]))
  }

  same <- waiting[works$takes$case[waiting] == works$takes$case[waiting[1]]]
  many <- min(
    24,
    length(waiting) %/% (2 * works$pool$size),
    sum(cumsum(works$takes$bytes[same]) < 1.2e7)
  )
  ats <- utils::head(same, max(fewest_measured, many))
  works$to_score <- setdiff(waiting, ats)
  job <- list(
    at = ats[1],
    ats = ats,
    take = works$takes[ats[1], ],
    began = clock(),
    sha256 = works$takes$sha256[ats],
    kit = kit_of(works, works$takes$case[ats[1]])
  )
  send_scoring(works, job)
}

send_scoring <- function(works, job, files = NULL) {
  pictures <- lapply(job$ats, function(at) take_bytes(works$store, works$takes[at, ]))
  send_out(
    works,
    job,
    "score_elsewhere",
    list(job$kit, pictures, works$pool$far, files),
    score_patience(works)
  )
}

# How long a worker may be silent about what it measures before another is asked:
# measuring twice does no harm, and a machine that is cut off says nothing of it.
score_patience <- function(works) {
  if (is.null(works$longest)) {
    300
  } else {
    max(20, 8 * works$longest)
  }
}

# The patience at sending may have been that of one who had measured nothing yet.
give_up_silent <- function(works) {
  for (job in works$sent) {
    silent <- job$work == "score_elsewhere" && clock() - job$began > score_patience(works)
    if (silent && !has_landed(job$mirai)) {
      mirai::stop_mirai(job$mirai)
    }
  }
}

kit_of <- function(works, case_id) {
  keep(works$kits, case_id, {
    case <- case_named(works$trial$suite, case_id)
    suite <- small_suite(works$trial$suite, case)
    list(id = hash_of(list(case_id, suite$cases)), suite = suite)
  })
}

land_scores <- function(works, job, scores) {
  if (identical(scores, "lacking")) {
    return(send_scoring(
      works,
      job,
      lapply(stats::setNames(nm = names(job$kit$suite$files)), read_bytes)
    ))
  }

  if (inherits(scores, "condition")) {
    stop(scores)
  }

  works$longest <- max(works$longest, clock() - job$began)
  time_measuring(works, attr(scores, "seconds"), length(scores))
  # It may have been asked for again meanwhile: this was another picture.
  same <- which(works$takes$sha256[job$ats] == job$sha256 & works$made[job$ats])
  keep_scores(works, works$takes$take[job$ats[same]], scores[same])
}

score_here <- function(works, at) {
  take <- works$takes[at, ]
  case <- case_named(works$trial$suite, take$case)
  began <- clock()
  found <- list(score_bytes(take_bytes(works$store, take), case, works$trial$suite, works$kept))
  time_measuring(works, clock() - began, 1)
  keep_scores(works, take$take, found)
}

# What measuring costs a process, for the time that is left.
time_measuring <- function(works, seconds, takes) {
  works$measured <- sum(works$measured, takes)
  works$measuring <- sum(works$measuring, seconds)
}

keep_scores <- function(works, takes, found) {
  if (length(takes) == 0) {
    return(invisible())
  }

  record_scores(works$store, takes, found)
  works$scored <- works$scored + length(takes)
  tell(works)
}

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
workshop <- new.env()

# Measures takes of one case in a worker. "lacking" where that is on another machine
# and does not have the pictures that the case's files name.
score_elsewhere <- function(kit, pictures, far = FALSE, files = NULL) {
  if (is.null(workshop$kits)) {
    workshop$kits <- new_shelf(2e7)
    workshop$kept <- new_shelf(5e8)
  }

  if (far && is.null(files) && is.null(workshop$kits[[paste0("=", kit$id)]])) {
    return("lacking")
  }

  known <- keep(workshop$kits, kit$id, unpack_suite(kit$suite, files))
  began <- clock()
  scores <- tryCatch(
    lapply(pictures, score_bytes, known$cases[[1]], known, workshop$kept),
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
  if (is.null(workshop$engines)) {
    workshop$engines <- new_shelf(2e7)
  }

  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  if (isTRUE(plan$far) && is.null(workshop$engines[[paste0("=", id)]])) {
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
    keep(workshop$engines, id, build_engine(plan$wanted, plan$name, plan$folder)),
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
