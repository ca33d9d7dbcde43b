# The office of a stand-in service.

# The state of a hosted service: jobs, an account, and the keys that were paid, the last in a file
# that survives a restart.
Office <- R6::R6Class(
  "sprenn_office",
  cloneable = FALSE,
  public = list(
    orders = list(),
    posts = 0,
    recent = numeric(),
    fault_at = NULL,
    hosted = FALSE,
    credit = Inf,
    ledger = "",
    paid = numeric(),
    pace = 0,
    # Whether pictures are drawn in a process of their own, before they are asked for.
    ahead = FALSE,
    # When each of those who work at the queue is free again.
    free_at = 0,
    # What it drew last.
    last = NULL,

    initialize = function(credit, fault_at, ledger, hosted, pace = 0, desks = 1) {
      self$fault_at <- fault_at
      self$hosted <- hosted
      self$credit <- credit
      self$ledger <- ledger
      if (file.exists(ledger)) {
        self$paid <- unlist(jsonlite::read_json(ledger))
      }

      self$pace <- pace
      self$free_at <- rep(0, desks)
      self$ahead <- pace > 0.5
      if (self$ahead) {
        mirai::daemons(1, .compute = "drawing")
      }
    },

    # Whether there is credit for what costs so much; a failure if not.
    charge = function(cost) {
      if (self$credit - sum(self$paid) < cost) {
        engine_failure("out_of_credit", "There is no credit left.")
      }
    },

    # Written beside and renamed: a server that is killed meanwhile must not lose it.
    pay = function(key, cost) {
      self$paid[[key]] <- cost
      part <- paste0(self$ledger, ".part")
      writeLines(jsonlite::toJSON(as.list(self$paid), auto_unbox = TRUE), part)
      file.rename(part, self$ledger)
    },

    # When an order that takes so many seconds is ready: whoever is free first takes it.
    next_free = function(now, seconds) {
      desk <- which.min(self$free_at)
      self$free_at[desk] <- max(now, self$free_at[desk]) + seconds
      self$free_at[desk]
    },

    # While a picture's time runs, it is drawn by another process.
    begin_drawing = function(engine, request) {
      draw <- draw_ahead
      if (self$ahead) {
        mirai::mirai(
          draw(engine, request),
          draw = draw,
          engine = engine,
          request = request,
          .compute = "drawing"
        )
      }
    },

    # The pictures of a job, as results.
    drawn = function(engine, job) {
      made <- if (!is.null(job$made)) mirai::call_mirai(job$made)$data
      if (is.list(made)) made else make_each(engine, job$request)
    }
  )
)

# A name that nothing else has.
random_name <- function() paste(as.character(openssl::rand_bytes(10)), collapse = "")

bytes_of <- function(file) readBin(file, "raw", file.size(file))
