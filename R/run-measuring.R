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
