# Processes beside this one, for work whose result does not depend on where it is
# done.

# A pool of its own name, so that neither the caller's processes nor another
# pool of ours is touched. It is there at once; its processes come up meanwhile.
open_pool <- function(workers) {
  pool <- basename(tempfile("sprenn-"))
  # Starting processes draws from the caller's random numbers.
  withr::with_preserve_seed(mirai::daemons(workers, .compute = pool))
  paths <- .libPaths()
  mirai::everywhere(.libPaths(paths), paths = paths, .compute = pool)
  pool
}

close_pool <- function(pool) if (!is.null(pool)) mirai::daemons(0, .compute = pool)

# `work` is a function of the package, called with `arguments` in the next free
# process.
send_to_pool <- function(pool, work, arguments, seconds = NULL) {
  mirai::mirai(do.call(work, arguments), work = work, arguments = arguments, .compute = pool, .timeout = if (!is.null(seconds)) seconds * 1000)
}

# What was sent, done; `NULL` where its process died, took too long or failed.
wait_for <- function(sent) {
  done <- mirai::call_mirai(sent)$data
  if (!mirai::is_error_value(done)) done
}
