# Several coordinators of one run: the first one plans and says what is left to do, all carry it,
# and one after the other does what has to be done at the end.

# What a coordinator carries, in parts that have to be the same for all of them.
carried_by <- function(trial, plan, asked, options) {
  lineup <- trial$lineup
  list(
    suite = hash_of(suite_content(trial$suite)),
    lineup = hash_of(list(
      recorded_steps(lineup),
      lapply(lineup$engines, function(engine) {
        engine$about[c("name", "version", "at_once", "per_minute")]
      })
    )),
    plan = hash_of(list(plan$take, sort(asked$take))),
    options = hash_of(options[c("score", "retry")]),
    measures = version_of_measures(trial$suite)
  )
}

carried_words <- c(
  suite = "its suite, or a picture of it, is another one",
  lineup = "its pipelines or engines are others",
  plan = "other takes are planned (`--within`?)",
  options = "`--no-score` or `--retry` is given in one of them only",
  measures = "its own measures are others"
)

# Records the plan, and has done what has to be there before takes are made.
prepare_run <- function(store, trial, plan, asked, pictures, progress) {
  record_plan(store, trial, plan, asked)
  note_pictures_address(store, pictures)
  fail_unanswered(store)
  draft_for_run(trial, store, plan, progress)
  # Files that a killed process left half written. They lie above the folders with pictures, which
  # may hold a million.
  above <- list.files(file.path(store$folder, "takes"), all.files = TRUE)
  unlink(file.path(store$folder, "takes", above[is_part(above)]))
}

# Joins those who carry the run, or begins it with `prepare`, which is a function: TRUE if it is the
# first. An error if others carry something else. Without `options`, it is made by one process.
begin_run <- function(store, lock, trial, plan, asked, options, told, prepare) {
  if (is.null(options)) {
    prepare()
    return(TRUE)
  }

  carried <- carried_by(trial, plan, asked, options)
  in_turn(store, lock, "begin", told, function() {
    others <- wait_for_the_same(store, lock, carried, told)
    if (nrow(others) == 0) {
      prepare()
      takes <- read_takes(store)
      share_work_left(store, trial, takes, takes$take %in% plan$take, options)
    }

    note_carried(store, lock, to_json(carried))
    nrow(others) == 0
  })
}

# The event log of a coordinator that has joined: lines that several machines append to one file can
# be lost on a network file system.
own_log <- function() {
  host <- gsub("[^A-Za-z0-9-]+", "-", Sys.info()[["nodename"]])
  paste0("events-", host, "-", Sys.getpid(), ".jsonl")
}

# The other coordinators that have begun. One that carries something else may be gone, which shows
# after a while.
wait_for_the_same <- function(store, lock, carried, told) {
  seen <- nobody_heard
  repeat {
    writers <- read_writers(store)
    others <- writers[writers$id != lock & !is.na(writers$carries), ]
    seen <- heard_of(seen, others)
    gone <- are_gone(others, seen)
    if (any(gone)) {
      end_writers(store, others[gone, ])
      next
    }

    other <- lapply(others$carries, parts_that_differ, carried)
    version <- others$version != utils::packageVersion("sprenn")
    if (!any(version) && all(lengths(other) == 0)) {
      return(others)
    }

    if (any(are_near(others)) || all(clock() - seen$at > silence)) {
      stop_for_other_work(store, others, version, unique(unlist(other)))
    }

    told("others carry this run in another way; waiting whether they are gone")
    steady_sleep(0.5)
    beat_once(store, lock)
  }
}

parts_that_differ <- function(json, carried) {
  theirs <- tryCatch(jsonlite::fromJSON(json), error = function(e) list())
  names(carried)[!mapply(identical, theirs[names(carried)], carried)]
}

stop_for_other_work <- function(store, others, version, parts) {
  stop_sprenn(
    "locked",
    c(
      paste0("Others are making run ", quoted(store$run), " of another trial or version."),
      stats::setNames(holder_words(others), rep("x", nrow(others))),
      if (any(version)) {
        c(x = paste0(
          "Sprenn ", others$version[version][1], " is there, and ",
          utils::packageVersion("sprenn"), " here. All have to be the same."
        ))
      },
      stats::setNames(paste0(
        "Compared with theirs, ", carried_words[parts], ".",
        recycle0 = TRUE
      ), rep("x", length(parts))),
      i = "Join with the same trial, options and version, or wait until they have ended."
    )
  )
}

# Has done with `finish`, which is a function, what follows when all takes are made. What is left to
# do by others is not followed by anything yet.
end_run <- function(store, lock, is_shared, stopping, told, finish) {
  if (!is_shared) {
    finish()
  } else if (!stopping) {
    in_turn(store, lock, "finish", told, finish)
  }
}

# Does what is for one coordinator at a time; the others wait, and do it after. What is done already
# is then not done again.
in_turn <- function(store, lock, name, told, work) {
  while (!try_to_be_the_one(store, name)) {
    told("waiting for another coordinator")
    steady_sleep(0.5)
    beat_once(store, lock)
    if (is_asked_to_stop(store, lock)) {
      rlang::interrupt()
    }
  }

  on.exit(try(let_others(store, name), silent = TRUE))
  work()
}

# Writes down what is left to do of a run.
share_work_left <- function(store, trial, takes, planned, options) {
  left <- left_to_do(store, trial, takes, planned, options)
  wanted <- left$wanted
  # Whoever makes it would find that somebody has.
  for (take in takes$take[wanted & takes$state == "made"]) {
    record_planned(store, take)
  }

  steps <- all_steps(trial$lineup)
  engine <- steps$engine[match(takes$pipeline, steps$pipeline)]
  kind <- rep(NA_character_, nrow(takes))
  kind[wanted] <- "make"
  kind[left$to_score] <- "measure"
  # A parent that is there needs no waiting for.
  waits <- wanted & takes$parent %in% takes$take[wanted | takes$state != "made"]
  work <- new_table(
    take = takes$take,
    kind = kind,
    engine = engine,
    pipeline = takes$pipeline,
    position = takes$position,
    parent = ifelse(waits, takes$parent, NA_character_)
  )
  engines <- trial$lineup$engines
  fill_work(store, work[!is.na(kind), ], new_table(
    engine = names(engines),
    at_once = vapply(engines, function(engine) as.numeric(engine$about$at_once), 0),
    turns = vapply(engines, function(engine) {
      if (is.null(engine$per_minute)) 0 else rate_calls(engine$per_minute)
    }, 0)
  ))
}
