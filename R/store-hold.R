# Who may write to a run: one process at a time. Reading never asks.

# Takes hold of a run for this process, or says who has it. `wait` is for how many
# seconds another is waited for.
hold_run <- function(store, wait = 0, told = function(words) NULL) {
  me <- this_process()
  began <- clock()
  seen <- list(id = "", beat = -1, at = began)
  while (!take_hold(store, me)) {
    other <- as.list(read_db(store, "SELECT * FROM holder"))
    if (length(other$id) == 0) {
      next
    }

    seen <- heard_of(seen, other, function() {
      told(paste0("run ", quoted(store$run), " is at work: ", holder_words(other), "; waiting"))
    })
    near <- other$machine == me$machine
    if (is_gone(other, near, seen$at)) {
      end_hold_of(store, other)
      next
    }

    # Whoever is silent elsewhere is recognised as gone before this one gives up.
    patience <- if (near) wait else max(wait, silence + 2)
    if (clock() - began >= patience) {
      stop_for_holder(store, other)
    }

    Sys.sleep(0.25)
  }

  held_here$add(me$id)
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

# The last sign of life of whoever holds a run; another one is told of.
heard_of <- function(seen, other, tell) {
  if (other$id != seen$id) {
    tell()
  }

  if (other$id == seen$id && other$beat == seen$beat) {
    return(seen)
  }

  list(id = other$id, beat = other$beat, at = clock())
}

take_hold <- function(store, me) {
  taken <- write_db(
    store$db,
    "INSERT INTO holder VALUES (1, ?, ?, ?, ?, ?, ?, 0) ON CONFLICT (one) DO NOTHING",
    params = unname(me)
  )
  taken == 1
}

# Where its process can't be looked up, a holder that no longer counts on is gone.
is_gone <- function(holder, near, heard_at) {
  if (near) !still_holds(holder) else clock() - heard_at > silence
}

end_hold_of <- function(store, holder) {
  write_db(
    store$db,
    "DELETE FROM holder WHERE id = ? AND beat = ?",
    params = list(holder$id, holder$beat)
  )
}

stop_for_holder <- function(store, holder) {
  stop_sprenn(
    "held",
    c(
      paste0("Another process is at work on run ", quoted(store$run), "."),
      x = holder_words(holder),
      i = paste0(
        "Wait for it (`--wait`), or stop it with Ctrl-C where it runs. Reading (choose, ",
        "sheet, report) goes on meanwhile."
      )
    )
  )
}

# Whether a process is at work on the run, as far as can be told at once.
is_held <- function(store) {
  other <- as.list(read_db(store, "SELECT * FROM holder"))
  length(other$id) > 0 && (other$machine != machine_id() || still_holds(other))
}

# After how many seconds without a sign a holder on another machine is given up.
silence <- 20

holder_words <- function(other) {
  paste0(other$person, ", process ", other$pid, ", since ", other$since)
}

# Gives a sign of life; an error if another has taken over meanwhile.
beat_on <- function(store, id) {
  still <- write_db(
    store$db,
    "UPDATE holder SET beat = beat + 1 WHERE id = ?",
    params = list(id)
  )
  if (still == 0) {
    stop_sprenn(
      "held",
      c(
        paste0(
          "Another process has taken over run ", quoted(store$run),
          ", as this one gave no sign for long."
        ),
        i = "What was made before is kept; the other one goes on from there."
      )
    )
  }
}

# A process that could not let go when it ended its work, as the database was locked or away,
# knows so itself and may go on; others believe it is at work until it ends.
still_holds <- function(other) {
  process_runs(other$pid, other$started) &&
    (other$pid != Sys.getpid() || held_here$has(other$id))
}

# The ids of the holds that this process has.
held_here <- R6::R6Class(
  "sprenn_holds",
  public = list(
    add = function(id) private$ids <- c(private$ids, id),
    remove = function(id) private$ids <- setdiff(private$ids, id),
    has = function(id) id %in% private$ids
  ),
  private = list(ids = character())
)$new()

let_go <- function(store, id) {
  held_here$remove(id)
  try(write_db(store$db, "DELETE FROM holder WHERE id = ?", params = list(id)), silent = TRUE)
}

# A machine since it was last started: process numbers mean nothing beyond that.
machine_id <- function() {
  boot <- "/proc/sys/kernel/random/boot_id"
  paste(Sys.info()[["nodename"]], if (file.exists(boot)) readLines(boot, warn = FALSE))
}

# When a process was started, in a form that no change of the clock touches; ""
# where that can't be told.
process_start <- function(pid) {
  stat <- tryCatch(
    readLines(file.path("/proc", pid, "stat"), warn = FALSE),
    error = function(e) "",
    warning = function(w) ""
  )
  # The name in brackets may hold spaces.
  strsplit(sub("^.*\\) ", "", stat[1]), " ", fixed = TRUE)[[1]][20] %||% ""
}

process_runs <- function(pid, started) {
  if (dir.exists("/proc/self")) {
    return(identical(process_start(pid), started))
  }

  isTRUE(tools::pskill(pid, 0))
}

