# What several coordinators of a run on a PostgreSQL server share: the work that is left, with who
# has claimed it, and the calls that each engine allows all of them together.

# Begins work anew. `work` has a row a take: `take`, `kind` (make or measure), `engine`, `pipeline`,
# `position` and `parent`, the take that has to be made before, or NA. `engines` has `engine`,
# `at_once` (calls at a time) and `turns` (calls in the window of its rate limit, 0 without one).
fill_work <- function(store, work, engines) {
  in_transaction(store, {
    for (table in c("work", "slots", "turns", "pauses")) {
      write_db(store, paste("DELETE FROM", table))
    }

    append_rows(store, "work", work)
    append_rows(store, "slots", numbered_rows(engines$engine, engines$at_once, "slot"))
    turns <- numbered_rows(engines$engine, engines$turns, "turn")
    append_rows(store, "turns", new_table(turns, free_at = rep(0, nrow(turns))))
    # Pictures that two cases have in common are looked for while takes are made.
    write_db(store, "CREATE INDEX IF NOT EXISTS takes_by_picture ON takes (sha256)")
  })
}

numbered_rows <- function(engines, counts, name) {
  rows <- new_table(engine = rep(engines, counts), number = sequence(counts))
  names(rows)[2] <- name
  rows
}

# By COPY, since a statement for each row would cross the network each time.
append_rows <- function(store, table, rows) {
  if (nrow(rows) > 0) {
    store$use(function() DBI::dbAppendTable(store$db, table, as.data.frame(rows)))
  }
}

# Claims the next takes to make with an engine, at most `most`, and those that are asked for in the
# same call as one of them, up to `seeds` in a call. Returns them in the order of the plan: `take`,
# `position`, `attempt`, `failure`.
claim_takes <- function(store, writer, engine, most, seeds = 1, out = character()) {
  in_transaction(store, {
    claimed <- claim_rows(
      store,
      writer,
      paste("kind = 'make' AND parent IS NULL AND engine = ?", but_for(out)),
      c(list(engine), as.list(out)),
      most
    )
    if (seeds > 1 && nrow(claimed) > 0) {
      same <- paste(
        "kind = 'make' AND parent IS NULL AND take IN (SELECT other.take FROM takes one JOIN takes",
        "other ON other.pipeline = one.pipeline AND other.case_id = one.case_id AND",
        "COALESCE(other.control, '') = COALESCE(one.control, '') WHERE one.take IN (",
        marks_for(claimed$take), "))"
      )
      more <- claim_rows(store, writer, same, as.list(claimed$take), most * (seeds - 1))
      claimed <- rbind(claimed, more)
    }

    claimed[order(claimed$position), ]
  })
}

# Claims the next takes to measure: `take`, `position`, `file`, `sha256`, `bytes`.
claim_measuring <- function(store, writer, most) {
  claim_rows(store, writer, "kind = 'measure'", list(), most)
}

# `which` is a condition with its `params`. What another process is just claiming is passed over.
claim_rows <- function(store, writer, which, params, most) {
  as_takes(read_db(
    store,
    paste(
      "WITH me AS (", this_writer, "),",
      "free AS (SELECT take FROM work WHERE EXISTS (SELECT 1 FROM me) AND writer IS NULL AND",
      which, "ORDER BY position LIMIT ? FOR UPDATE SKIP LOCKED),",
      "mine AS (UPDATE work SET writer = me.id FROM free, me WHERE work.take = free.take",
      "RETURNING work.take)",
      "SELECT t.take, t.position, t.attempt, t.failure, t.file, t.sha256, t.bytes",
      "FROM takes t JOIN mine ON mine.take = t.take ORDER BY t.position"
    ),
    params = c(list(writer), params, list(as.integer(most)))
  ))
}

# A writer, unless others have taken what it had: it gets nothing until it has joined again.
this_writer <- "SELECT id FROM writers WHERE id = ? FOR KEY SHARE"

but_for <- function(pipelines) {
  if (length(pipelines) > 0) paste0("AND pipeline NOT IN (", marks_for(pipelines), ")")
}

# Gives back what a writer has claimed and not begun: these takes, or all but those it `keeps`.
give_back_work <- function(store, writer, takes) {
  if (length(takes) > 0) {
    write_db(
      store,
      paste0("UPDATE work SET writer = NULL WHERE writer = ? AND take IN (", marks_for(takes), ")"),
      params = c(list(writer), as.list(takes))
    )
  }
}

give_back_all_but <- function(store, writer, takes) {
  claimed <- read_db(store, "SELECT take FROM work WHERE writer = ?", params = list(writer))$take
  give_back_work(store, writer, setdiff(claimed, takes))
}

# Which of these takes a writer may record as made or failed: those that it has claimed, or that
# nobody else has and that are not made, by a coordinator that was cut off and is back. They stay
# as they are until the end of the transaction.
hold_takes <- function(store, writer, takes) {
  held <- read_db(
    store,
    paste0(
      "SELECT t.take FROM takes t LEFT JOIN work w ON w.take = t.take WHERE t.state <> 'made' AND ",
      "(w.take IS NULL OR w.writer IS NULL OR w.writer = ?) AND t.take IN (", marks_for(takes),
      ") ORDER BY t.take FOR UPDATE OF t"
    ),
    params = c(list(writer), as.list(takes))
  )$take
  takes %in% held
}

# The same for their scores: `sha256` are the pictures that were measured.
hold_measured <- function(store, writer, takes, sha256) {
  held <- read_db(
    store,
    paste0(
      "SELECT t.take, t.sha256 FROM takes t JOIN work w ON w.take = t.take ",
      "WHERE w.kind = 'measure' AND (w.writer IS NULL OR w.writer = ?) AND t.take IN (",
      marks_for(takes), ") ORDER BY t.take FOR UPDATE OF t"
    ),
    params = c(list(writer), as.list(takes))
  )
  (sha256 == held$sha256[match(takes, held$take)]) %in% TRUE
}

# Takes that were made are to be measured, by `writer` or whoever comes first (NA), and what waited
# for them can be made.
pass_on_work <- function(store, takes, writer) {
  write_db(
    store,
    paste0(
      "UPDATE work SET kind = 'measure', writer = (SELECT id FROM writers WHERE id = ?) ",
      "WHERE take IN (", marks_for(takes), ")"
    ),
    params = c(list(writer), as.list(takes))
  )
  free_what_follows(store, takes)
}

free_what_follows <- function(store, takes) {
  write_db(
    store,
    paste0("UPDATE work SET parent = NULL WHERE parent IN (", marks_for(takes), ")"),
    params = as.list(takes)
  )
}

# Nothing is left to do about these takes.
end_work <- function(store, takes) {
  write_db(
    store,
    paste0("DELETE FROM work WHERE take IN (", marks_for(takes), ")"),
    params = as.list(takes)
  )
}

# A take is to be made again by this writer.
make_again <- function(store, writer, take, engine) {
  write_db(
    store,
    "INSERT INTO work SELECT take, 'make', ?, pipeline, position, NULL,
      (SELECT id FROM writers WHERE id = ?) FROM takes WHERE take = ?
      ON CONFLICT (take) DO UPDATE SET kind = 'make', writer = excluded.writer",
    params = list(engine, writer, take)
  )
}

# How much work there is: by `kind` and `engine`, all of it (`left`) and what nobody has claimed and
# could be begun (`free`).
count_work <- function(store, out = character()) {
  read_db(
    store,
    paste(
      "SELECT kind, engine, count(*) AS left,",
      "count(*) FILTER (WHERE writer IS NULL AND parent IS NULL) AS free",
      "FROM work WHERE TRUE", but_for(out), "GROUP BY kind, engine"
    ),
    params = if (length(out) > 0) as.list(out)
  )
}

# Whether anything is left that can be done without the `parked` engines and the pipelines left
# `out`, by whomever.
is_work_left <- function(store, parked = character(), out = character()) {
  not_by <- if (length(parked) > 0) {
    paste0("AND (kind = 'measure' OR engine NOT IN (", marks_for(parked), "))")
  }
  params <- c(as.list(parked), as.list(out))
  nrow(read_db(
    store,
    paste("SELECT 1 FROM work WHERE parent IS NULL", not_by, but_for(out), "LIMIT 1"),
    params = if (length(params) > 0) params
  )) > 0
}

# Takes that have this picture: `take`, `position`, `case`, `file`, `sha256`, `bytes`.
read_same_picture <- function(store, sha256) {
  as_takes(read_db(
    store,
    "SELECT take, position, case_id, file, sha256, bytes FROM takes
      WHERE sha256 = ? AND state = 'made' AND asked = 1 ORDER BY position",
    params = list(sha256)
  ))
}

# Who has how many slots of each engine; `writer` is NA for those that are free.
read_slots <- function(store) {
  slots <- read_db(
    store, "SELECT engine, writer, count(*) AS slots FROM slots GROUP BY engine, writer"
  )
  slots$writer <- as.character(slots$writer)
  slots
}

# Takes free slots of an engine; returns how many it got.
take_slots <- function(store, writer, engine, most) {
  nrow(read_db(
    store,
    paste(
      "WITH me AS (", this_writer, "),",
      "free AS (SELECT engine, slot FROM slots WHERE EXISTS (SELECT 1 FROM me) AND engine = ?",
      "AND writer IS NULL ORDER BY slot LIMIT ? FOR UPDATE SKIP LOCKED)",
      "UPDATE slots SET writer = me.id FROM free, me",
      "WHERE slots.engine = free.engine AND slots.slot = free.slot RETURNING slots.slot"
    ),
    params = list(writer, engine, as.integer(most))
  ))
}

give_slots <- function(store, writer, engine, count) {
  write_db(
    store,
    "UPDATE slots SET writer = NULL WHERE engine = ? AND slot IN
      (SELECT slot FROM slots WHERE engine = ? AND writer = ? ORDER BY slot DESC LIMIT ?)",
    params = list(engine, engine, writer, as.integer(count))
  )
}

# Takes a turn of an engine that allows so many calls in each `window` of seconds: 0, or in how many
# seconds to try again.
take_turn <- function(store, engine, window) {
  got <- read_db(
    store,
    paste(
      "WITH free AS (SELECT engine, turn FROM turns WHERE engine = ? AND free_at <=", server_now,
      "ORDER BY free_at LIMIT 1 FOR UPDATE SKIP LOCKED)",
      "UPDATE turns SET free_at =", server_now, "+ CAST(? AS DOUBLE PRECISION) FROM free",
      "WHERE turns.engine = free.engine AND turns.turn = free.turn RETURNING turns.turn"
    ),
    params = list(engine, window)
  )
  if (nrow(got) > 0) {
    return(0)
  }

  until <- read_db(
    store,
    paste("SELECT min(free_at) -", server_now, "AS seconds FROM turns WHERE engine = ?"),
    params = list(engine)
  )$seconds
  max(0.1, until, na.rm = TRUE)
}

# No coordinator calls an engine for so many seconds.
pause_engine <- function(store, engine, seconds) {
  write_db(
    store,
    paste(
      "INSERT INTO pauses VALUES (?,", server_now, "+ CAST(? AS DOUBLE PRECISION)) ON CONFLICT",
      "(engine) DO UPDATE SET until = GREATEST(pauses.until, excluded.until)"
    ),
    params = list(engine, seconds)
  )
}

# Engines that are not to be called, and for how many `seconds`.
read_pauses <- function(store) {
  read_db(store, paste(
    "SELECT engine, until -", server_now, "AS seconds FROM pauses WHERE until >", server_now
  ))
}

# Seconds by the server's clock, which is the same for all.
server_now <- "CAST(extract(epoch FROM clock_timestamp()) AS DOUBLE PRECISION)"

# Whether the run's other coordinators let this one do what is `name`d, which is for one at a time.
# It lasts as long as the connection.
try_to_be_the_one <- function(store, name) {
  read_db(
    store,
    "SELECT CAST(pg_try_advisory_lock(hashtext(current_schema()), hashtext(?)) AS integer) AS got",
    params = list(name)
  )$got == 1
}

let_others <- function(store, name) {
  read_db(
    store,
    "SELECT CAST(pg_advisory_unlock(hashtext(current_schema()), hashtext(?)) AS integer) AS done",
    params = list(name)
  )
}

# A coordinator begins: what it carries is known to others from now on.
note_carried <- function(store, writer, carries) {
  write_db(
    store,
    "UPDATE writers SET carries = ? WHERE id = ?",
    params = list(carries, writer)
  )
}
