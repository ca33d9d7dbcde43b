# Processes beside this one, for work whose result does not depend on where it is
# done: on this machine or on others.

# A pool of its own name, so that neither the caller's processes nor another
# pool of ours is touched. It is there at once; its processes come up meanwhile.
# They are in a session of their own, so that Ctrl-C reaches this process alone.
open_pool <- function(workers) {
  name <- basename(tempfile("sprenn-"))
  pool <- structure(new.env(), class = "sprenn_pool")
  pool$name <- name
  pool$size <- workers
  pool$processes <- list()
  with_other_seed({
    mirai::daemons(url = mirai::local_url(), dispatcher = TRUE, .compute = name)
    mend_pool(pool)
  })
  pool
}

# Starting processes draws random numbers, for names that have to differ every time:
# not the caller's, and not the same ones again.
with_other_seed <- function(code) {
  withr::with_preserve_seed({
    set.seed(NULL)
    force(code)
  })
}

# Starts processes in place of those that have died. Returns how many had.
mend_pool <- function(pool) {
  alive <- vapply(pool$processes, function(process) process$is_alive(), NA)
  pool$processes <- pool$processes[alive]
  new <- pool$size - length(pool$processes)
  code <- paste0(".libPaths(c(", paste(encodeString(.libPaths(), quote = "\""), collapse = ", "), ")); mirai::daemon(", encodeString(mirai::nextget("url", .compute = pool$name), quote = "\""), ")")
  for (i in seq_len(new)) {
    pool$processes <- c(pool$processes, list(processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-save", "--no-restore", "-e", code), stdout = NULL, stderr = NULL, cleanup_tree = TRUE)))
  }
  sum(!alive)
}

close_pool <- function(pool) {
  if (is.null(pool)) {
    return(invisible())
  }
  mirai::daemons(0, .compute = pool$name)
  for (process in pool$processes) try(process$kill_tree(), silent = TRUE)
}

# `work` is a function of the package, called with `arguments` in the next free
# process.
send_to_pool <- function(pool, work, arguments, seconds = NULL) {
  mirai::mirai(do.call(work, arguments), work = work, arguments = arguments, .compute = pool$name, .timeout = if (!is.null(seconds)) seconds * 1000)
}

# Whether something that was sent has come back.
has_landed <- function(sent) !mirai::unresolved(sent)

# What was sent, done; a `sprenn_lost` with the reason where its process died, took
# too long or was cut off.
landed <- function(sent) {
  data <- sent$data
  if (!mirai::is_error_value(data)) {
    return(data)
  }
  late <- mirai::is_error_value(data) && !mirai::is_mirai_error(data) && as.integer(data) == 5L
  structure(list(late = late, why = if (late) "it took too long" else if (mirai::is_mirai_error(data)) trimws(gsub("[[:space:]]+", " ", as.character(data))) else "its process ended"), class = "sprenn_lost")
}

# Waits for it; `NULL` where it was lost.
wait_for <- function(sent) {
  done <- landed(mirai::call_mirai(sent))
  if (!inherits(done, "sprenn_lost")) done
}

# How many processes are worth starting for so many pieces of work: it takes each a
# second or two to begin.
worker_count <- function(workers, pieces) {
  if (!is.null(workers)) {
    return(workers)
  }
  cores <- parallel::detectCores()
  if (pieces < 40 || is.na(cores)) 0 else min(cores, 8)
}
