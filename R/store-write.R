# Writing to a run, in this order: the picture first, under a temporary name and then under its
# own; only then the record that it exists.

stop_for_read_only <- function(store) {
  if (!can_write(store$folder)) {
    stop_sprenn(
      "store",
      c(
        paste0(store$folder, " can't be written to."),
        x = "The folder is read-only, or the disk is full.",
        i = "The run can still be read: choose, sheet and report take `--out`."
      )
    )
  }
}

# Pipelines and steps as they are recorded: the columns of the table `pipelines`, in their order.
recorded_steps <- function(lineup) {
  steps <- all_steps(lineup)
  versions <- vapply(lineup$engines, function(engine) engine$about$version, "")
  new_table(
    pipeline = steps$pipeline,
    position = seq_len(nrow(steps)),
    engine = steps$engine,
    engine_version = unname(versions[steps$engine]),
    checkpoint = steps$checkpoint,
    hold = steps$hold,
    native_hold = steps$native_hold,
    settings = each_as_json(steps$settings),
    sweep = steps$sweep,
    vary = steps$vary,
    value = steps$value,
    follows = steps$follows,
    stage = steps$stage,
    shown = as.integer(steps$pipeline %in% lineup$pipelines$pipeline),
    add_ons = each_as_json(steps$add_ons),
    gives = each_as_json(steps$gives),
    varied = each_as_json(steps$varied)
  )
}

# Steps of a sweep have most of their settings in common.
each_as_json <- function(values) {
  known <- unique(values)
  vapply(known, to_json, "")[match(values, known)]
}

# Sets the plan of a run, a part perhaps of all takes that are `asked` for. Takes that are planned
# already keep their state; those that nothing asks for any more are taken off unless they were
# made.
record_plan <- function(store, trial, plan, asked = plan) {
  steps <- recorded_steps(trial$lineup)
  known <- get_facts(store)$key
  in_transaction(store, {
    for (statement in view_statements()) {
      DBI::dbExecute(store$db, statement)
    }

    set_facts(
      store,
      key = known %||% fresh_key(),
      suite = trial$suite$suite,
      title = trial$suite$title,
      sprenn_version = as.character(utils::packageVersion("sprenn"))
    )
    write_db(
      store,
      "INSERT INTO pipelines VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
        ON CONFLICT (pipeline) DO UPDATE SET position = excluded.position, engine = excluded.engine,
        engine_version = excluded.engine_version, checkpoint = excluded.checkpoint,
        hold = excluded.hold,
        native_hold = excluded.native_hold, settings = excluded.settings, sweep = excluded.sweep,
        vary = excluded.vary, value = excluded.value, follows = excluded.follows,
        stage = excluded.stage, shown = excluded.shown, add_ons = excluded.add_ons,
        gives = excluded.gives, varied = excluded.varied",
      params = unname(as.list(steps))
    )
    open <- read_db(store, "SELECT take, state FROM takes WHERE state <> 'made'")
    wanted <- open$take %in% plan$take | (open$state != "planned" & open$take %in% asked$take)
    if (any(!wanted)) {
      write_db(store, "DELETE FROM takes WHERE take = ?", params = list(open$take[!wanted]))
    }

    bring_to_suite(store, trial, asked)
    known <- read_db(store, "SELECT take, position FROM takes")
    plan$position <- seq_len(nrow(plan))
    plan <- plan[!(known$position[match(plan$take, known$take)] == plan$position) %in% TRUE, ]
    write_db(
      store,
      "INSERT INTO takes (take, position, pipeline, case_id, seed, state, control,
        parent) VALUES (?, ?, ?, ?, ?, 'planned', ?, ?)
        ON CONFLICT (take) DO UPDATE SET position = excluded.position",
      params = list(
        plan$take,
        plan$position,
        plan$pipeline,
        plan$case,
        plan$seed,
        plan$control,
        plan$parent
      )
    )
  })
}

# Writes pictures, each the bytes of a file, under the hashes of these bytes, also on the pictures'
# server if there is one, and returns the file names.
keep_pictures <- function(store, pictures, sha256 = vapply(pictures, sha256_of, "")) {
  stop_for_moved(store)
  endings <- vapply(pictures, function(bytes) {
    picture_formats[[picture_facts(bytes)$format]]
  }, "")
  named <- new_table(
    file = file.path(substr(sha256, 1, 2), paste0(sha256, ".", endings)),
    sha256 = sha256
  )
  paths <- take_path(store, named$file)
  # A file that was altered is replaced.
  is_there <- file.exists(paths)
  is_there[is_there] <- vapply(which(is_there), function(i) {
    sha256_of_file(paths[i]) == sha256[i]
  }, NA)
  new <- which(!is_there & !duplicated(sha256))
  if (length(new) > 0) {
    for (folder in unique(dirname(paths[new]))) {
      dir.create(folder, showWarnings = FALSE, recursive = TRUE)
    }

    write_outputs(
      paths[new],
      function(parts) {
        all(vapply(seq_along(parts), function(i) {
          wrote_all(pictures[[new[i]]], parts[i])
        }, NA))
      },
      kind = "store",
      kept = "Everything made so far is kept; the same command resumes.",
      beside = dirname(paths[new])
    )
  }

  if (!is.null(store$pictures)) {
    store$pictures$put(named$file, pictures)
  }

  named
}

# Records takes that were made, a row each, together or not at all. The scores of an earlier picture
# of a take are removed.
record_made <- function(store, made) {
  in_transaction(store, {
    before <- read_takes_with_scores(store, made$take)
    if (length(before) > 0) {
      forget_scores(store, before)
    }

    write_db(
      store,
      "UPDATE takes SET state = 'made', file = ?, sha256 = ?, width = ?, height = ?, bytes = ?,
      seconds = ?,
        cost = ?, failure = NULL, message = NULL, request = ?, answer = ?, made_at = ?,
        first_call = ? WHERE take = ?",
      params = list(
        made$file,
        made$sha256,
        made$width,
        made$height,
        made$bytes,
        made$seconds,
        made$cost,
        made$request,
        made$answer,
        rep(now_utc(), nrow(made)),
        as.integer(made$first_call),
        made$take
      )
    )
  })
}

# A refusal is a result; takes left to a person stay planned. A new key is used only after a wrong
# answer: after a lost answer, the picture may already be made and paid for. `takes` are those of
# one call.
record_failed <- function(store, takes, failure, requests) {
  state <- switch(failure$kind,
    refused = "refused",
    awaited = "planned",
    "failed"
  )
  write_db(
    store,
    paste0(
      "UPDATE takes SET state = ?, failure = ?, message = ?, request = ?, seconds = ?, cost = ?, ",
      "made_at = ?, attempt = attempt + ? WHERE take = ?"
    ),
    params = lapply(
      list(
        state,
        failure$kind,
        conditionMessage(failure),
        requests,
        failure$seconds / length(takes),
        as.numeric(failure$cost),
        now_utc(),
        as.integer(failure$kind %in% c("bad_answer", "bad_request", "engine_error")),
        takes
      ),
      rep_len,
      length(takes)
    )
  )
}

# Why takes that stay planned have not been made.
record_reason <- function(store, takes, failure) {
  write_db(
    store,
    "UPDATE takes SET failure = ?, message = ? WHERE take = ?",
    params = lapply(
      list(failure$kind, conditionMessage(failure), takes),
      rep_len,
      length(takes)
    )
  )
}

# A take that is to be made again: its picture is doubted or gone. Returns how many
# scores of it there were.
record_planned <- function(store, take) {
  in_transaction(store, {
    gone <- forget_scores(store, take)
    write_db(
      store,
      "UPDATE takes SET state = 'planned', file = NULL, sha256 = NULL, bytes = NULL WHERE take = ?",
      params = list(take)
    )
  })
  gone
}

# Deletes takes that are no longer planned, with their scores.
forget_takes <- function(store, takes) {
  in_transaction(store, {
    forget_scores(store, takes)
    write_db(store, "DELETE FROM takes WHERE take = ?", params = list(takes))
    write_db(
      store,
      "DELETE FROM pipelines WHERE pipeline NOT IN (SELECT pipeline FROM takes)"
    )
  })
}

# Records what was `found` of `takes` in one transaction: each has its scores, its print and its
# overlay.
record_scores <- function(store, takes, found) {
  scores <- do.call(rbind, lapply(found, function(one) as.data.frame(one$scores)))
  scores$take <- rep(takes, vapply(found, function(one) nrow(one$scores), 0L))
  in_transaction(store, {
    forget_scores(store, takes)
    insert_scores(store, scores)
    write_db(
      store,
      "INSERT INTO prints VALUES (?, ?, ?)",
      params = list(takes, vapply(found, `[[`, "", "print"), vapply(found, `[[`, "", "overlay"))
    )
  })
}

insert_scores <- function(store, scores) {
  columns <- c("take", "axis", "measure", "phrase", "value", "raw", "level", "place")
  write_db(
    store,
    "INSERT INTO scores VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
    params = unname(as.list(scores[columns]))
  )
}

# Removes the scores of takes; returns how many there were.
forget_scores <- function(store, takes) {
  write_db(store, "DELETE FROM prints WHERE take = ?", params = list(takes))
  write_db(store, "DELETE FROM scores WHERE take = ?", params = list(takes))
}

# Records a judge's answers to one job, given as columns, in one transaction.
record_answers <- function(store, judge, version, rows) {
  n <- length(rows$said)
  in_transaction(
    store,
    write_db(
      store,
      paste0(
        "INSERT INTO answers VALUES (?, ?, ?, ?, ?) ON CONFLICT (judge, version, subject, ",
        "statement) DO UPDATE SET said = excluded.said"
      ),
      params = unname(c(list(rep(judge, n), rep(version, n)), rows))
    )
  )
}

# Scores of judges that were asked before, and that the brief names no longer. Their
# answers stay.
forget_judges <- function(store, judges) {
  before <- get_facts(store)$judges
  gone <- if (!is.null(before)) {
    setdiff(vapply(jsonlite::parse_json(before), function(one) one$judge, ""), judges)
  }
  if (length(gone)) {
    measures <- c(gone, outer(gone, c(compared_parts, judged_flaw_names), paste, sep = "_"))
    write_db(store, "DELETE FROM scores WHERE measure = ?", params = list(measures))
  }
}

# Puts scores in place of those that the same takes had of the same measures: `scores` has a
# row a score, `takes` and `measures` say what goes.
replace_scores <- function(store, scores, takes, measures) {
  gone <- expand.grid(take = unique(takes), measure = measures, stringsAsFactors = FALSE)
  in_transaction(store, {
    write_db(
      store,
      "DELETE FROM scores WHERE take = ? AND measure = ?",
      params = unname(as.list(gone))
    )
    if (NROW(scores) > 0) {
      insert_scores(store, scores)
    }
  })
}

# Puts the scores of measures in place of all that they had.
replace_measures <- function(store, measures, scores) {
  in_transaction(store, {
    write_db(store, "DELETE FROM scores WHERE measure = ?", params = list(measures))
    if (NROW(scores) > 0) {
      insert_scores(store, scores)
    }
  })
}

# All that was measured goes, and what is measured from now on is of that version.
forget_measured <- function(store, version) {
  in_transaction(store, {
    write_db(store, "DELETE FROM scores")
    write_db(store, "DELETE FROM prints")
    set_facts(store, measures = version)
  })
}

# Keeps a ballot, given as a list of the table's columns; the same one twice is one.
insert_ballot <- function(store, ballot) {
  columns <- c(
    "ballot", "person", "kind", "one", "other", "choice", "reasons", "phrases", "seconds",
    "said_at", "repeats"
  )
  write_db(
    store,
    paste0(
      "INSERT INTO ballots (number, ", paste(columns, collapse = ", "), ") VALUES ((SELECT ",
      "COALESCE(MAX(number), 0) + 1 FROM ballots), ",
      paste(rep("?", length(columns)), collapse = ", "),
      ") ON CONFLICT (ballot) DO NOTHING"
    ),
    params = unname(ballot[columns])
  )
}

# Takes a person's last ballot back; it is kept, marked. Returns it, or no row.
take_back_ballot <- function(store, person) {
  last <- read_db(
    store,
    "
    SELECT ballot, kind, one, other, repeats FROM ballots
    WHERE person = ? AND undone = 0 ORDER BY number DESC LIMIT 1",
    params = list(person)
  )
  if (nrow(last) > 0) {
    write_db(
      store,
      "UPDATE ballots SET undone = 1 WHERE ballot = ?",
      params = list(last$ballot)
    )
  }

  last
}
