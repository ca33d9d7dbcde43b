# A cache with a limit in bytes. The least recently used value is dropped first, so that memory
# does not grow with the number of cases.
#
# Packages that do this weigh a value by object.size(), which does not see the pixels that the
# core holds for a view. This one counts them too.
Cache <- R6::R6Class(
  "sprenn_cache",
  cloneable = FALSE,
  public = list(
    initialize = function(most_bytes = Inf) {
      private$kept <- new.env()
      private$most_bytes <- most_bytes
    },

    clear = function() {
      private$kept <- new.env()
      private$bytes <- numeric()
    },

    has = function(name) !is.null(private$kept[[private$key(name)]]),

    # The value of that name; evaluates `code` if there is none.
    get = function(name, code) {
      key <- private$key(name)
      if (is.null(private$kept[[key]])) {
        private$add(key, code)
      } else if (is.finite(private$most_bytes)) {
        private$note_use(key)
      }

      private$kept[[key]]
    }
  ),
  private = list(
    kept = NULL,
    most_bytes = NULL,
    # Sizes by key, the most recently used last.
    bytes = numeric(),

    # An environment takes no empty name.
    key = function(name) paste0("=", name),

    add = function(key, value) {
      assign(key, value, private$kept)
      if (is.finite(private$most_bytes)) {
        private$bytes <- c(private$bytes, stats::setNames(held_bytes(value), key))
        private$make_room()
      }
    },

    note_use = function(key) {
      at <- match(key, names(private$bytes))
      private$bytes <- c(private$bytes[-at], private$bytes[at])
    },

    # A value larger than the whole limit is returned but not kept.
    make_room = function() {
      while (sum(private$bytes) > private$most_bytes && length(private$bytes) > 1) {
        rm(list = names(private$bytes)[1], envir = private$kept)
        private$bytes <- private$bytes[-1]
      }
    }
  )
)

# Caches for the pictures of a case, for views, and for small values.
cache_of_pictures <- function() Cache$new(1.2e8)
cache_of_views <- function() Cache$new(5e8)
small_cache <- function() Cache$new(2e7)

held_bytes <- function(x) {
  views <- if (inherits(x, "sprenn_view")) {
    list(x)
  } else if (is.list(x)) {
    Filter(function(one) inherits(one, "sprenn_view"), x)
  }
  as.numeric(utils::object.size(x)) + sum(vapply(views, `[[`, 0, "held"))
}
