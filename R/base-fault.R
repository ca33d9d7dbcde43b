# Faults of our own: errors that nobody has foreseen. Their messages are R's and say nothing to a
# user, so they are kept in a file for those who can mend them, and what is shown says so.

# Runs code of ours; if it fails in a way that was not foreseen, `or` is called with the file that
# describes the fault, or NULL if none could be written.
guarded <- function(code, or) {
  kept <- NULL
  tryCatch(
    withCallingHandlers(code, error = function(e) {
      if (is_unforeseen(e)) {
        kept <<- keep_fault(e, sys.calls())
      }
    }),
    error = function(e) if (is_unforeseen(e)) or(kept) else stop(e)
  )
}

is_unforeseen <- function(e) {
  !inherits(e, c("sprenn_error", "sprenn_failure")) && !is_closed_pipe(e)
}

# The reader of what is printed has gone (`| head`).
is_closed_pipe <- function(e) grepl("SIGPIPE", conditionMessage(e))

most_faults_kept <- 20

# The file of each fault of this session, by what it said; "" where none could be written.
faults_kept <- Cache$new()

# Describes a fault in a file of the user's, and returns its path.
keep_fault <- function(e, calls) {
  said <- without_values(paste(class(e)[1], conditionMessage(e), sep = ": "))
  said <- substr(clean_text(said), 1, 2000)
  file <- faults_kept$get(said, write_fault(said, calls))
  if (nzchar(file)) file
}

# Of the calls only the names of the functions are written, since their arguments may hold keys and
# pictures.
write_fault <- function(said, calls) {
  names <- vapply(
    calls,
    function(call) paste(utils::head(deparse(call[[1]]), 1), collapse = ""),
    ""
  )
  names <- substr(names, 1, 60)
  names <- names[!names %in% machinery]
  place <- file.path(tools::R_user_dir("sprenn", "cache"), "faults")
  file <- file.path(place, paste0(format(Sys.time(), "%Y%m%d-%H%M%S-"), Sys.getpid(), ".txt"))
  tryCatch(
    suppressWarnings({
      dir.create(place, recursive = TRUE, showWarnings = FALSE)
      older <- sort(list.files(place, full.names = TRUE), decreasing = TRUE)
      unlink(older[-seq_len(most_faults_kept - 1)])
      write_lines(
        c(
          paste("Sprenn", utils::packageVersion("sprenn"), "on", R.version.string),
          R.version$platform,
          now_utc(),
          said,
          paste0("  ", names)
        ),
        file
      )
      file
    }),
    error = function(e) ""
  )
}

# What every stack of calls holds.
machinery <- c(
  "tryCatch", "tryCatchList", "tryCatchOne", "doTryCatch", "withCallingHandlers", "guarded",
  ".handleSimpleError", "h"
)

# A text without the values of environment variables, of which some are keys.
without_values <- function(text) {
  values <- Sys.getenv()
  for (name in names(values)[nchar(values) >= 6]) {
    text <- gsub(values[[name]], paste0("(", name, ")"), text, fixed = TRUE)
  }

  text
}

# Where a fault is described, as the end of a message.
described_in <- function(file) {
  if (is.null(file)) "" else paste0(" It is described in ", file, ".")
}
