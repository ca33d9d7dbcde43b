# Who may write to a run: one process alone, or on a PostgreSQL server several coordinators that
# carry it together. Reading needs no lock.

# Locks a run for this process, or says who has the lock. `wait` is the number of seconds to wait
# for it. A coordinator may write `beside` others.
lock_run <- function(store, wait = 0, told = function(words) NULL, beside = FALSE) {
  me <- this_process(beside)
  began <- clock()
  seen <- nobody_heard
  while (!try_lock(store, me)) {
    others <- those_in_the_way(read_writers(store), me)
    if (nrow(others) == 0) {
      next
    }

    if (!all(others$id %in% seen$id)) {
      words <- paste(holder_words(others), collapse = "; ")
      told(paste0("run ", quoted(store$run), " is in use: ", words, "; waiting"))
    }

    seen <- heard_of(seen, others)
    gone <- are_gone(others, seen)
    if (any(gone)) {
      end_writers(store, others[gone, ])
      next
    }

    # A stale lock from another machine is recognised before this process gives up.
    patience <- if (any(are_near(others))) wait else max(wait, silence + 2)
    if (clock() - began >= patience) {
      stop_for_holder(store, others)
    }

    steady_sleep(0.25)
  }

  own_locks$add(me$id)
  me$id
}

this_process <- function(beside = FALSE, id = fresh_key()) {
  list(
    id = id,
    machine = machine_id(),
    pid = Sys.getpid(),
    started = process_start(Sys.getpid()),
    person = paste0(Sys.info()[["user"]], " on ", Sys.info()[["nodename"]]),
    since = now_utc(),
    version = as.character(utils::packageVersion("sprenn")),
    alone = as.integer(!beside)
  )
}

read_writers <- function(store) {
  as_table(read_db(store, "SELECT * FROM writers ORDER BY since, id"))
}

# Those whom a process can't write beside.
those_in_the_way <- function(writers, me) {
  writers[writers$alone == 1 | me$alone == 1, ]
}

try_lock <- function(store, me) {
  in_transaction(store, {
    if (is_postgres(store$db)) {
      write_db(store, "LOCK TABLE writers IN SHARE ROW EXCLUSIVE MODE")
    }

    write_db(
      store,
      "INSERT INTO writers (id, machine, pid, started, person, since, version, alone, beat)
        SELECT ?, ?, ?, ?, ?, ?, ?, ?, 0
        WHERE NOT EXISTS (SELECT 1 FROM writers WHERE alone = 1 OR ? = 1)",
      params = unname(c(me, me$alone))
    ) == 1
  })
}

# When each writer was last heard of by this process: a table of `id`, `beat` and, by its own
# steady clock, `at`. `seen` is that table as it was before.
heard_of <- function(seen, writers) {
  before <- match(paste(writers$id, writers$beat), paste(seen$id, seen$beat))
  new_table(
    id = writers$id,
    beat = writers$beat,
    at = ifelse(is.na(before), clock(), seen$at[before])
  )
}

nobody_heard <- new_table(id = character(), beat = numeric(), at = numeric())

are_near <- function(writers) writers$machine == machine_id()

# A writer on this machine is looked up; one elsewhere is gone when its heartbeat stops, and so is
# any that others wait for.
are_gone <- function(writers, seen) {
  is_silent <- clock() - seen$at[match(writers$id, seen$id)] > silence
  runs <- vapply(seq_len(nrow(writers)), function(i) is_alive_holder(writers[i, ]), NA)
  ifelse(are_near(writers), !runs | (is_silent & writers$alone == 0), is_silent)
}

# Takes from writers that are gone what they have: their lock, slots and work. One that has sent a
# heartbeat meanwhile keeps them.
end_writers <- function(store, writers) {
  write_db(
    store,
    "DELETE FROM writers WHERE id = ? AND beat = ?",
    params = list(writers$id, writers$beat)
  )
}

stop_for_holder <- function(store, others) {
  is_shared <- is_postgres(store$db)
  stop_sprenn(
    "locked",
    c(
      paste0(
        if (nrow(others) == 1) "Another process is" else paste(nrow(others), "processes are"),
        " writing to run ", quoted(store$run), "."
      ),
      stats::setNames(holder_words(others), rep("x", nrow(others))),
      i = paste0(
        if (nrow(others) == 1) {
          "Wait for it (`--wait`), or stop it with Ctrl-C where it runs. "
        } else {
          "Wait for them (`--wait`), or stop them all with `sprenn watch --stop`. "
        },
        "Reading (choose, sheet, report) goes on meanwhile."
      ),
      if (!is_shared) {
        c(i = paste(
          "Several machines can make a run together if its records are on a PostgreSQL server",
          "(docs/machines.md)."
        ))
      }
    )
  )
}

# Whether a process has the lock, without waiting for its heartbeat.
is_locked <- function(store) nrow(live_writers(store)) > 0

# The writers but those of this machine that have ended.
live_writers <- function(store) {
  writers <- read_writers(store)
  writers[!are_gone(writers, heard_of(nobody_heard, writers)), ]
}

# Seconds without a heartbeat after which a lock from another machine is stale.
silence <- 20

holder_words <- function(writers) {
  since <- sub("T(..:..).*", " \\1 UTC", writers$since)
  paste0(writers$person, ", process ", writers$pid, ", since ", since, recycle0 = TRUE)
}

# Who writes, in a few words where they are several.
writers_words <- function(writers) {
  if (nrow(writers) == 1) {
    return(holder_words(writers))
  }

  persons <- table(factor(writers$person, unique(writers$person)))
  count <- ifelse(persons > 1, paste0(" (", persons, ")"), "")
  paste0(nrow(writers), " processes: ", shorten_list(paste0(names(persons), count)))
}

# Sends a heartbeat. FALSE if others have taken what this process had, since it was silent for too
# long.
beat_once <- function(store, id, wants = NULL) {
  stop_for_moved(store)
  write_db(
    store,
    "UPDATE writers SET beat = beat + 1, wants = ? WHERE id = ?",
    params = list(wants %||% NA_character_, id)
  ) == 1
}

# Sends a heartbeat; an error if another process has taken over.
send_heartbeat <- function(store, id) {
  if (!beat_once(store, id)) {
    stop_sprenn(
      "locked",
      c(
        paste0(
          "Another process has taken over run ", quoted(store$run),
          ", since this one was silent for too long."
        ),
        i = "Everything made before is kept; the other process continues."
      )
    )
  }
}

# A process that could not release its lock, because the database was locked or away, knows that
# itself and may continue; for others it holds the lock until it ends.
is_alive_holder <- function(other) {
  process_runs(other$pid, other$started) &&
    (other$pid != Sys.getpid() || own_locks$has(other$id))
}

# The ids of this process's locks.
own_locks <- R6::R6Class(
  "sprenn_locks",
  public = list(
    add = function(id) private$ids <- c(private$ids, id),
    remove = function(id) private$ids <- setdiff(private$ids, id),
    has = function(id) id %in% private$ids
  ),
  private = list(ids = character())
)$new()

unlock_run <- function(store, id) {
  own_locks$remove(id)
  try(write_db(store, "DELETE FROM writers WHERE id = ?", params = list(id)), silent = TRUE)
}

# A run whose folder was moved or deleted meanwhile: an open database goes along with it, but
# pictures would go to the old place.
stop_for_moved <- function(store) {
  if (identical(identity_of(store$records), store$identity)) {
    return(invisible())
  }

  to <- dirname(now_at(store$identity))
  stop_sprenn(
    "store",
    c(
      paste0("Run ", quoted(store$run), " is no longer in ", store$folder, "."),
      x = if (is.na(to)) {
        "The folder was deleted while the run was going on."
      } else {
        paste0("The folder was moved to ", to, " while the run was going on.")
      },
      i = if (is.na(to)) {
        "What was made is gone with it. The same command begins again."
      } else {
        "Everything made so far is there. Move it back, and the same command resumes."
      }
    )
  )
}

# Where a file is that this process has open, whatever it is called now; NA if unknown or deleted.
now_at <- function(identity) {
  open <- list.files("/proc/self/fd", full.names = TRUE)
  open <- open[vapply(open, identity_of, "") == identity]
  to <- Sys.readlink(open)
  to[nzchar(to) & file.exists(to)][1]
}
