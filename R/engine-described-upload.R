# Pictures that a described service takes in before it uses them.

# What was uploaded, by the hash of its bytes, for as long as the service keeps it. Conversations
# that need a picture that is on its way wait for it.
Uploads <- R6::R6Class(
  "sprenn_uploads",
  cloneable = FALSE,
  public = list(
    # The id of an upload that can still be used, or NULL.
    id_of = function(hash) {
      known <- private$known[[hash]]
      if (!is.null(known) && clock() < known$until) known$id
    },

    is_going = function(hash) isTRUE(clock() < private$going[[hash]]),

    # It is given up after so many seconds: who began it may have been stopped.
    begin = function(hash, seconds) private$going[[hash]] <- clock() + seconds,

    end = function(hash) private$going[[hash]] <- NULL,

    keep = function(hash, id, seconds) {
      self$end(hash)
      private$known[[hash]] <- list(id = id, until = clock() + seconds)
    },

    forget = function(hashes) private$known[hashes] <- NULL
  ),
  private = list(known = list(), going = list())
)

# A part of the time that a service keeps an upload is left for the job that uses it.
upload_margin <- 0.9

# The uploads whose picture the request has and some template names.
needed_uploads <- function(wanted, request) {
  named <- names_in_template(wanted[c("make", "wait")])
  Filter(
    function(name) {
      paste0(name, ".uploaded") %in% named && !is.null(picture_called(name, request))
    },
    unlist(wanted$upload$pictures)
  )
}

picture_called <- function(name, request) {
  picture_named(strsplit(name, ".", fixed = TRUE)[[1]], request)
}

upload_next <- function(talk, names) {
  if (length(names) == 0) {
    return(make_described(talk))
  }

  picture <- picture_called(names[1], talk$request)
  uploads <- talk$service$uploads
  hash <- sha256_of(png_part(picture)$bytes)
  known <- uploads$id_of(hash)
  if (!is.null(known)) {
    talk$named[[paste0(names[1], ".uploaded")]] <- known
    talk$reused <- c(talk$reused, hash)
    return(upload_next(talk, names[-1]))
  }

  if (uploads$is_going(hash)) {
    look <- function() if (!uploads$is_going(hash)) TRUE
    awaited <- new_awaited(look, stop = function() NULL)
    return(list(answer = awaited, then = function(answer) upload_next(talk, names)))
  }

  upload_picture(talk, names, picture, hash)
}

upload_picture <- function(talk, names, picture, hash) {
  upload <- talk$service$wanted$upload
  uploads <- talk$service$uploads
  steps <- c(list(upload), upload$then)
  uploads$begin(hash, length(steps) * (talk$service$wanted$seconds %||% default_seconds))
  give_up <- function(failure) {
    uploads$end(hash)
    stop(failure)
  }
  own <- talk
  own$named$picture <- picture
  upload_calls(own, steps, list(), give_up, function(id, seconds) {
    uploads$keep(hash, id, seconds_kept(seconds))
    talk$named[[paste0(names[1], ".uploaded")]] <- id
    upload_next(talk, names[-1])
  })
}

# The calls of an upload, one after the other. `then` is called with what `id` and `seconds` were
# found to be in the first answer that has them; `give_up` with a failure.
upload_calls <- function(talk, steps, said, give_up, then) {
  upload <- talk$service$wanted$upload
  go_on <- function(answer, found) {
    talk <- keeping(talk, steps[[1]]$keep, answer, found)
    said$id <- said$id %||% first_found(found, upload$id)
    said$seconds <- said$seconds %||% if (is.character(upload$seconds)) {
      first_found(found, upload$seconds)
    } else {
      upload$seconds
    }
    if (length(steps) > 1) {
      return(upload_calls(talk, steps[-1], said, give_up, then))
    }

    if (is.null(said$id)) {
      stop_for_lacking(talk, answer, upload$id)
    }

    then(said$id, said$seconds)
  }
  tryCatch(
    described_call(
      talk,
      steps[[1]],
      "upload",
      function(answer, found) tryCatch(go_on(answer, found), sprenn_failure = give_up),
      failed = give_up,
      hosts = upload$hosts
    ),
    sprenn_failure = give_up
  )
}

# Headers, and some services' members, are texts.
seconds_kept <- function(said) {
  seconds <- suppressWarnings(as.numeric(texts_of(said)))
  if (length(seconds) != 1 || is.na(seconds)) Inf else upload_margin * seconds
}
