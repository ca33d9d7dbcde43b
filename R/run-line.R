# The takes that wait for one engine, in the order in which they are to be sent: those that were
# added at the front (the last one first), then the others as they were given. A run may have a
# million takes, so only leave_out() looks at all of them.
TakeLine <- R6::R6Class(
  "sprenn_line",
  cloneable = FALSE,
  public = list(
    initialize = function(takes = integer()) {
      private$given <- private$rest <- takes
      private$waits[takes] <- TRUE
      private$.ready <- length(takes)
    },

    # Adds takes at the front. One that waits already moves there.
    add = function(takes) {
      comes_in <- !private$is_out(takes)
      private$.ready <- private$.ready + sum(comes_in & !private$is_waiting(takes))
      private$waits[takes] <- TRUE
      private$added <- c(takes, private$added)
      private$front <- c(takes[comes_in], private$front)
    },

    # The next take, or NULL.
    first = function() {
      while (length(private$front) > 0 && !private$is_waiting(private$front[1])) {
        private$front <- private$front[-1]
      }

      if (length(private$front) > 0) {
        return(private$front[1])
      }

      while (private$at <= length(private$rest) && !private$is_waiting(private$rest[private$at])) {
        private$at <- private$at + 1
      }

      if (private$at <= length(private$rest)) private$rest[private$at]
    },

    # Those of some takes that wait and are not left out.
    ready_among = function(takes) {
      takes[private$is_waiting(takes) & !private$is_out(takes)]
    },

    # Takes leave the line: these are ready ones.
    remove = function(takes) {
      private$waits[takes] <- FALSE
      private$.ready <- private$.ready - length(takes)
    },

    # From now on, `out` are left out: they wait, but are neither next nor ready.
    leave_out = function(out) {
      private$out <- logical()
      private$out[out] <- TRUE
      own <- function(takes) takes[private$is_waiting(takes)]
      private$added <- unique(own(private$added))
      private$given <- setdiff(own(private$given), private$added)
      private$front <- private$added[!private$is_out(private$added)]
      private$rest <- private$given[!private$is_out(private$given)]
      private$at <- 1
      private$.ready <- length(private$front) + length(private$rest)
    },

    # Whether any of these takes are not left out.
    any_in = function(takes) any(!private$is_out(takes))
  ),
  active = list(
    # The number of takes that wait and are not left out.
    ready = function() private$.ready
  ),
  private = list(
    # By the number of a take.
    waits = logical(),
    out = logical(),
    .ready = 0,
    # All that were there at the beginning and all that were added since, also if they are left out
    # or have left the line; `front` and `rest` from `at` on are what is left of these.
    given = integer(),
    added = integer(),
    front = integer(),
    rest = integer(),
    at = 1,

    is_waiting = function(takes) private$waits[takes] %in% TRUE,
    is_out = function(takes) private$out[takes] %in% TRUE
  )
)
