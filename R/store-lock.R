# The lock of a run: one process at a time may write. Reading needs no lock.

# Locks a run for this process, or says who has the lock. `wait` is the number of seconds to wait
# for it.
lock_run <- function(store, wait = 0, told = function(words) NULL) {
  me <- this_process()
  began <- clock()
  seen <- list(id = "", beat = -1, at = began)
  while (!try_lock(store, me)) {
    other <- read_holder(store)
    if (length(other$id) == 0) {
      next
    }

    seen <- heard_of(seen, other, function() {
      told(paste0("run ", quoted(store$run), " is in use: ", holder_words(other), "; waiting"))
    })
    near <- other$machine == me$machine
    if (is_gone(other, near, seen$at)) {
      break_lock(store, other)
      next
    }

    # A stale lock from another machine is recognised before this process gives up.
    patience <- if (near) wait else max(wait, silence + 2)
    if (clock() - began >= patience) {
      stop_for_holder(store, other)
    }

    steady_sleep(0.25)
  }

  own_locks$add(me$id)
  me$id
}

this_process <- function() {
  list(
    id = fresh_key(),
    machine = machine_id(),
    pid = Sys.getpid(),
    started = process_start(Sys.getpid()),
    person = paste0(Sys.info()[["user"]], " on ", Sys.info()[["nodename"]]),
    since = now_utc()
  )
}

# The last heartbeat of the lock's holder; `tell` is called when the holder changes.
heard_of <- function(seen, other, tell) {
  if (other$id != seen$id) {
    tell()
  }

  if (other$id == seen$id && other$beat == seen$beat) {
    return(seen)
  }

  list(id = other$id, beat = other$beat, at = clock())
}

try_lock <- function(store, me) {
  taken <- write_db(
    store$db,
    "INSERT INTO holder VALUES (1, ?, ?, ?, ?, ?, ?, 0) ON CONFLICT (one) DO NOTHING",
    params = unname(me)
  )
  taken == 1
}

# A holder on this machine is looked up; one elsewhere is gone when its heartbeat stops.
is_gone <- function(holder, near, heard_at) {
  if (near) !is_alive_holder(holder) else clock() - heard_at > silence
}

break_lock <- function(store, holder) {
  write_db(
    store$db,
    "DELETE FROM holder WHERE id = ? AND beat = ?",
    params = list(holder$id, holder$beat)
  )
}

stop_for_holder <- function(store, holder) {
  stop_sprenn(
    "locked",
    c(
      paste0("Another process is writing to run ", quoted(store$run), "."),
      x = holder_words(holder),
      i = paste0(
        "Wait for it (`--wait`), or stop it with Ctrl-C where it runs. Reading (choose, ",
        "sheet, report) goes on meanwhile."
      )
    )
  )
}

# Whether a process holds the lock, without waiting for its heartbeat.
is_locked <- function(store) {
  other <- read_holder(store)
  length(other$id) > 0 && (other$machine != machine_id() || is_alive_holder(other))
}

# Seconds without a heartbeat after which a lock from another machine is stale.
silence <- 20

holder_words <- function(other) {
  since <- sub("T(..:..).*", " \\1 UTC", other$since)
  paste0(other$person, ", process ", other$pid, ", since ", since)
}

# Sends a heartbeat; an error if another process has taken over.
send_heartbeat <- function(store, id) {
  stop_for_moved(store)
  still <- write_db(
    store$db,
    "UPDATE holder SET beat = beat + 1 WHERE id = ?",
    params = list(id)
  )
  if (still == 0) {
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
  try(write_db(store$db, "DELETE FROM holder WHERE id = ?", params = list(id)), silent = TRUE)
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
