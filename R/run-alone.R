# What a run shares with other processes that carry it. Where one process makes a run alone, that is
# its lock, and nothing else.
RunAlone <- R6::R6Class(
  "sprenn_alone",
  cloneable = FALSE,
  public = list(
    initialize = function(store, lock) {
      private$store <- store
      private$lock <- lock
    },

    # Sends a heartbeat. TRUE if it has lost what it had claimed.
    beat = function() {
      send_heartbeat(private$store, private$lock)
      FALSE
    },

    # How many pieces of work an engine may be sent at a time, and whether it may get another call
    # now.
    most_pieces = function(queue) queue$engine$about$at_once,
    may_call = function(queue) TRUE,

    # Fills the queue of an engine, and returns takes to measure, from what is left to do.
    fill = function(queue) NULL,
    takes_to_measure = function(waiting) integer(),

    # Whether nothing is left that any process could do.
    is_done = function() TRUE,

    # Whether what became of takes may be recorded, within the transaction that does so.
    may_record = function(takes) rep(TRUE, length(takes)),
    may_record_scores = function(takes, sha256) rep(TRUE, length(takes)),

    # What was recorded, in the same transaction: takes were made, or nothing more is to be done.
    # note_made() returns which of them this process is to measure, where others are `waiting`.
    note_made = function(takes, waiting) rep(TRUE, length(takes)),
    note_ended = function(takes) NULL,

    # A take is made again by this process.
    note_again = function(take, engine) NULL,

    # An engine is left alone here, or is not to be called for some seconds; takes of it stay
    # planned.
    note_parked = function(queue) NULL,
    give_back = function(queue, at) NULL,
    note_pause = function(queue, seconds) NULL,

    # Other cases' takes with exactly the same picture, as numbers.
    twins_of = function(takes, at, sha256) takes$twins_of(at, sha256),

    # These steps are left out, and so are the takes `out`.
    note_left_out = function(steps, out) NULL
  ),
  private = list(store = NULL, lock = NULL)
)

# What a run shares: `shared` are the numbers of the takes that several processes have planned
# together, NULL where one makes them alone.
shares_of_run <- function(store, lock, shared, ...) {
  if (is.null(shared)) RunAlone$new(store, lock) else RunShared$new(store, lock, shared, ...)
}
