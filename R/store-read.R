# Reading a run's records.

# One row a take that suite and lineup ask for, in the order of the plan; without the long texts of
# what was asked and answered.
read_takes <- function(store, columns = take_columns) {
  as_takes(read_db(store, paste("SELECT", columns, "FROM takes WHERE asked = 1 ORDER BY position")))
}

# The same with takes that were made and are not asked for any more.
read_kept_takes <- function(store) {
  as_takes(read_db(store, paste("SELECT", take_columns, "FROM takes ORDER BY position")))
}

read_take <- function(store, take) {
  as_takes(
    read_db(
      store,
      paste("SELECT", take_columns, "FROM takes WHERE take = ?"),
      params = list(take)
    )
  )
}

take_columns <- paste0(
  "take, position, pipeline, case_id, seed, state, file, sha256, width, height, bytes, seconds, ",
  "cost, failure, message, made_at, attempt, control, parent, first_call"
)

# The columns that a choice reads.
deciding_columns <- paste0(
  "take, pipeline, case_id, seed, state, file, seconds, cost, failure, message, control, parent, ",
  "first_call"
)

as_takes <- function(rows) {
  names(rows)[names(rows) == "case_id"] <- "case"
  # A column of NA has lost its type.
  for (column in intersect(
    names(rows),
    c("control", "parent", "file", "sha256", "failure", "message", "made_at")
  )) {
    rows[[column]] <- as.character(rows[[column]])
  }

  for (column in intersect(names(rows), c("seconds", "cost", "bytes"))) {
    rows[[column]] <- as.numeric(rows[[column]])
  }

  refuse_foreign_files(rows)
  as_table(rows)
}

# A picture is recorded under the hash of its bytes. Any other name could lead out of a run that
# came from elsewhere, to a file that `prune` deletes or `check --repair` moves.
refuse_foreign_files <- function(takes) {
  file <- takes$file
  is_own <- grepl(picture_name, file, perl = TRUE, useBytes = TRUE) &
    substr(file, 1, 2) == substr(file, 4, 5)
  if (!is.null(takes$sha256)) {
    is_own <- is_own & substr(file, 4, 67) == takes$sha256
  }

  odd <- takes[!is.na(file) & !is_own %in% TRUE, ]
  if (nrow(odd)) {
    stop_sprenn(
      "store",
      c(
        "A record of this run names a file that can't be one of its pictures.",
        x = paste0("take ", odd$take[1], ": found ", quoted(odd$file[1])),
        i = "wanted two hex digits, a slash, the picture's SHA-256 and its ending",
        i = "The records were changed by something else than Sprenn. Nothing was touched."
      )
    )
  }
}

picture_name <- paste0(
  "\\A[0-9a-f]{2}/[0-9a-f]{64}[.](", paste(picture_formats, collapse = "|"), ")\\z"
)

read_pipelines <- function(store) {
  as_table(read_db(store, "SELECT * FROM pipelines ORDER BY position"))
}

read_scored <- function(store) read_db(store, "SELECT take FROM prints")$take

read_answers <- function(store, judge, version) {
  read_db(
    store,
    "SELECT subject, statement, said FROM answers WHERE judge = ? AND version = ?",
    params = list(judge, version)
  )
}

# The same about these subjects alone.
read_answers_about <- function(store, judge, version, subjects) {
  subjects <- unique(subjects)
  read_db(
    store,
    paste0(
      "SELECT subject, statement, said FROM answers ",
      "WHERE judge = ? AND version = ? AND subject IN (", marks_for(subjects), ")"
    ),
    params = c(list(judge, version), as.list(subjects))
  )
}

# The bytes of a take's picture, if they are still those that were recorded.
take_bytes <- function(store, take) {
  path <- picture_paths(store, take$file)
  bytes <- if (file.exists(path)) read_bytes(path)
  if (is.null(bytes) || sha256_of(bytes) != take$sha256) {
    stop_sprenn(
      "store",
      c(
        paste0(
          "The picture of take ", take$take,
          if (is.null(bytes)) " is gone." else " is not the one that was recorded."
        ),
        x = path,
        i = paste0(
          "`sprenn check TRIAL --run ", store$run,
          " --repair` sets such takes to be made again; nothing else is touched."
        )
      )
    )
  }

  bytes
}

# Takes that have a picture.
read_made <- function(store) {
  read_db(store, "SELECT take FROM takes WHERE state = 'made'")$take
}

# Planned takes for which this is the reason that they have not been made.
read_waiting <- function(store, failure) {
  read_db(
    store,
    "SELECT take FROM takes WHERE state = 'planned' AND failure = ?",
    params = list(failure)
  )$take
}

# The requests and answers of takes as JSON: `take`, `request`, `answer`.
read_exchanges <- function(store) read_db(store, "SELECT take, request, answer FROM takes")

read_exchange <- function(store, take) {
  read_db(store, "SELECT request, answer FROM takes WHERE take = ?", params = list(take))
}

# Every score, with the take that it is of: `pipeline`, `case`, `seed` and its `position`
# in the plan.
read_all_scores <- function(store) {
  read_db(
    store,
    "
    SELECT s.take, t.pipeline, t.case_id AS \"case\", t.seed, s.axis, s.measure, s.phrase,
    s.value, s.raw, s.level, s.place, t.position
    FROM scores s JOIN takes t ON t.take = s.take WHERE t.asked = 1"
  )
}

# Scores that are not of a phrase: `take`, `axis`, `measure`, `value`.
read_plain_scores <- function(store) {
  read_db(store, "SELECT take, axis, measure, value FROM scores WHERE phrase IS NULL")
}

short_score <- "SELECT take, axis, measure, phrase, value, level FROM scores WHERE"

read_adherence_scores <- function(store) {
  read_db(store, paste(short_score, "axis = 'adherence'"))
}

# The scores that a choice looks at: of adherence, of the flaws that there are, and of these
# measures of structure and style. With `all_flaws` also of those among them that found
# nothing.
read_scores_that_decide <- function(store, measures, all_flaws = FALSE) {
  named <- paste0("measure IN (", paste0("'", measures, "'", collapse = ", "), ")")
  # Several queries, as one with OR would read the whole index.
  queries <- c(
    paste(short_score, deciding, "AND axis IN ('adherence', 'flaws')"),
    paste(short_score, deciding, "AND axis IN ('structure', 'style') AND", named),
    if (all_flaws) paste(short_score, "axis = 'flaws' AND level = 'none' AND", named)
  )
  read_db(store, paste(queries, collapse = " UNION ALL "))
}

# Prints of takes that were made, each with its `take`; of a pipeline or a case, or of all.
read_prints_of_pipeline <- function(store, pipeline) {
  read_db(store, paste(prints_of_takes, "WHERE t.pipeline = ?"), params = list(pipeline))
}

read_prints_of_case <- function(store, case) {
  read_db(
    store,
    paste(prints_of_takes, "WHERE t.case_id = ? ORDER BY p.take"),
    params = list(case)
  )
}

prints_of_takes <- "SELECT p.take, p.print FROM prints p JOIN takes t ON t.take = p.take"

# Takes that were made and measured, in the plan's order, with what each is and its print.
read_printed_takes <- function(store) {
  read_db(
    store,
    "
    SELECT t.take, t.pipeline, t.case_id, t.seed, t.control, p.print
    FROM takes t JOIN prints p ON p.take = t.take
    WHERE t.state = 'made' AND t.asked = 1 ORDER BY t.position"
  )
}

# Takes that were measured and have not been compared with others since.
read_uncompared <- function(store) {
  read_db(
    store,
    "
    SELECT p.take FROM prints p JOIN takes t ON t.take = p.take
    WHERE t.asked = 1 AND p.take NOT IN (SELECT take FROM scores WHERE measure = 'consistency')"
  )$take
}

read_overlays_of_case <- function(store, case) {
  read_db(
    store,
    "
    SELECT p.take, p.overlay FROM prints p JOIN takes t ON t.take = p.take
    WHERE t.case_id = ? AND p.overlay IS NOT NULL",
    params = list(case)
  )
}

# Ballots that were not taken back, in the order in which they were cast.
read_ballots <- function(store) {
  rows <- read_db(
    store,
    "
    SELECT ballot, person, kind, one, other, choice, reasons, phrases, seconds, said_at, repeats
    FROM ballots WHERE undone = 0 ORDER BY number"
  )
  for (column in c("other", "reasons", "phrases", "repeats")) {
    rows[[column]] <- as.character(rows[[column]])
  }

  as_table(rows)
}

# How many takes of each pipeline are in which state, how many are measured, and what they cost.
read_counts <- function(store) {
  read_db(
    store,
    "SELECT t.pipeline AS pipeline,
      SUM(CASE WHEN t.state = 'planned' THEN 1 ELSE 0 END) AS planned,
      SUM(CASE WHEN t.state = 'made' THEN 1 ELSE 0 END) AS made,
      SUM(CASE WHEN t.state = 'failed' THEN 1 ELSE 0 END) AS failed,
      SUM(CASE WHEN t.state = 'refused' THEN 1 ELSE 0 END) AS refused,
      COUNT(p.take) AS measured,
      COALESCE(SUM(t.cost), 0) AS cost
      FROM takes t LEFT JOIN prints p ON p.take = t.take
      WHERE t.asked = 1 GROUP BY t.pipeline"
  )
}

# Failures alike, the most frequent first; takes that stay planned may have been tried.
read_failures <- function(store) {
  read_db(
    store,
    "SELECT pipeline, state, failure, message, COUNT(*) AS takes FROM takes
      WHERE asked = 1 AND failure IS NOT NULL AND failure <> 'sent'
      GROUP BY pipeline, state, failure, message ORDER BY takes DESC, pipeline, message"
  )
}

# The newest takes that were made, the newest first; of those with a serious flaw if so asked.
read_newest <- function(store, most, flawed = FALSE) {
  as_takes(read_db(
    store,
    paste(
      "SELECT take, pipeline, case_id, seed, control, made_at, seconds, cost FROM takes",
      "WHERE asked = 1 AND state = 'made'",
      if (flawed) {
        paste(
          "AND take IN (SELECT take FROM scores WHERE axis = 'flaws' AND level = 'serious' AND",
          deciding, ")"
        )
      },
      "ORDER BY made_at DESC, position DESC LIMIT ?"
    ),
    params = list(most)
  ))
}

read_measured_of <- function(store, takes) {
  if (length(takes) > 0) {
    read_db(
      store,
      paste0("SELECT take FROM prints WHERE take IN (", marks_for(takes), ")"),
      params = as.list(takes)
    )$take
  }
}

read_takes_with_scores <- function(store, takes) {
  read_db(
    store,
    paste0("SELECT DISTINCT take FROM scores WHERE take IN (", marks_for(takes), ")"),
    params = as.list(takes)
  )$take
}

# The flaws that these takes have.
read_flaws_of <- function(store, takes) {
  if (length(takes) == 0) {
    return(new_table(take = character(), measure = character(), level = character()))
  }

  read_db(
    store,
    paste0(
      "SELECT take, measure, level FROM scores WHERE axis = 'flaws' AND level IN ",
      "('serious', 'slight') AND take IN (", marks_for(takes), ") ORDER BY measure"
    ),
    params = as.list(takes)
  )
}

# As many places for parameters as there are values.
marks_for <- function(values) paste(rep("?", length(values)), collapse = ", ")
