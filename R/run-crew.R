# The processes that a run has beside it: on this machine, or on others.

open_crew <- function(workers, pieces, note) {
  count <- worker_count(workers, pieces)
  if (count > 0) open_pool(count)
}

mend_crew <- function(pool) mend_pool(pool)
crew_size <- function(pool) pool$size
is_remote <- function(pool) isTRUE(pool$remote)
