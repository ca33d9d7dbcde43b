#' Have people judge takes blind
#'
#' Opens a page on this machine on which one or more people judge takes beside their reference,
#' without knowing which pipeline made them. Every answer is saved in the run at once.
#'
#' The page is served on 127.0.0.1 only, and only to those who have the address with its token,
#' which is new each time. People on other machines need a tunnel.
#'
#' @inheritParams run_trial
#' @param kind `"pairs"`: which of two would you rather use? `"singles"`: keep or
#'   reject, and why; which phrases are there.
#' @param ballots The number of answers that each person is asked for.
#' @param pick Whether to show the most informative pairs, given all ballots so far; otherwise all
#'   pairs of pipelines come up equally often.
#' @param job The job whose cases are shown; all cases if `NULL`.
#' @param port The port; a free one if `NULL`.
#' @param seconds After how many seconds to stop.
#' @param ready A function that is called with the page's address once it can be opened.
#' @return What [read_viewing()] returns, invisibly, when it is stopped (Ctrl-C
#'   or after `seconds`).
#' @section Errors: `sprenn_error_viewing` if there is nothing to compare.
#' @family viewings
#' @export
#' @examples
#' \dontrun{
#' view_takes("brackwater")
#' }
view_takes <- function(
  trial,
  run = "main",
  kind = c("pairs", "singles"),
  ballots = 30,
  pick = FALSE,
  job = NULL,
  port = NULL,
  seconds = Inf,
  ready = function(address) message("Open ", address)
) {
  kind <- kind[1]
  check_arguments(
    kind = checkmate::check_choice(kind, c("pairs", "singles")),
    ballots = checkmate::check_int(ballots, lower = 1, upper = 10000),
    pick = checkmate::check_flag(pick),
    job = checkmate::check_choice(job, jobs, null.ok = TRUE),
    port = checkmate::check_int(port, lower = 1, upper = 65535, null.ok = TRUE),
    seconds = checkmate::check_number(seconds, lower = 0),
    ready = checkmate::check_function(ready, nargs = 1)
  )
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  stop_for_read_only(store)
  # A viewing that was killed may have kept an answer that does not count as evidence yet.
  record_viewed(store, trial$suite)
  viewing <- new_viewing(
    trial,
    store,
    kind,
    ballots,
    pick,
    job %||% NA_character_,
    trial$brief$seed
  )
  serve_site(viewing_site(viewing), port, seconds, ready)
  invisible(viewing_of(store, trial))
}

# The page and what it is told. It keeps track of who is using which name.
viewing_site <- function(viewing) {
  desk <- list(
    viewing = viewing,
    people = PeopleViewing$new(),
    pictures = Cache$new(most_bytes = most_kept_pictures),
    names = Cache$new()
  )
  list(
    page = function() viewing_page(viewing),
    picture = function(name) {
      if (desk$names$has(name)) {
        list(type = "image/png", bytes = shown_bytes(desk, desk$names$get(name)))
      }
    },
    enter = function(window) serve_person(desk, window)
  )
}

# As many bytes of pictures are kept ready to be shown.
most_kept_pictures <- 256 * 2^20

# The people by name, and their browser windows.
PeopleViewing <- R6::R6Class(
  "sprenn_people",
  cloneable = FALSE,
  public = list(
    add = function(person, window) private$windows[[person]] <- window,
    has = function(person) !is.null(private$windows[[person]]),

    # The person may sit before another window by now.
    remove = function(person, window) {
      if (identical(private$windows[[person]], window)) {
        private$windows[[person]] <- NULL
      }
    }
  ),
  private = list(windows = list())
)

# One browser window: its person, and what it shows.
serve_person <- function(desk, window) {
  viewing <- desk$viewing
  person <- NULL
  shown <- NULL
  show <- function(next_one) {
    shown <<- next_one
    if (is.null(shown)) {
      window$send("done", done_words(viewing, person))
    } else {
      window$send("show", showing_message(desk, shown))
    }
  }
  enter <- function(said) {
    name <- trimws(gsub("[[:space:]]+", " ", clean_text(as.character(said$name %||% ""))))
    refused <- why_refused(desk, name)
    if (is.null(refused)) {
      desk$people$add(name, window$id)
      person <<- name
      show(next_showing(viewing, name))
    } else {
      window$send("refused", refused)
    }
  }
  # A ballot of another showing is an old one, sent twice or late.
  answer <- function(said) {
    if (!is.null(shown) && identical(said$ballot, shown$ballot) &&
      keep_ballot(viewing, person, shown, said, window)) {
      show(next_showing(viewing, person))
    }
  }
  undo <- function(said) show(undo_ballot(viewing, person) %||% next_showing(viewing, person))
  results <- function(said) {
    found <- results_html(viewing_of(viewing$store, viewing$trial))
    window$send("results", as.character(found))
  }
  list(
    heard = function(kind, said) {
      if (kind == "person" && is.null(person)) {
        enter(said)
      } else if (!is.null(person)) {
        switch(kind,
          said = answer(said),
          undo = undo(said),
          results = results(said)
        )
      }
    },
    left = function() {
      if (!is.null(person)) {
        desk$people$remove(person, window$id)
      }
    }
  )
}

done_words <- function(viewing, person) {
  count <- nrow(viewing_ballots_of(viewing, person))
  paste0(
    count_words(count, "answer"), if (count == 1) " is" else " are",
    " kept under the name ", person, ". You can close this page."
  )
}

why_refused <- function(desk, name) {
  if (nchar(name) < 1 || nchar(name) > 40) {
    return("A name of 1 to 40 characters, please.")
  }

  if (desk$people$has(name)) {
    paste0(
      name,
      " is judging already. If that is you in another window, close that one first; if ",
      "it is somebody else, please take another name."
    )
  }
}

# Whether an answer could be kept; if not, the page is told why.
keep_ballot <- function(viewing, person, shown, said, window) {
  tryCatch(
    {
      record_ballot(viewing, person, shown, said)
      TRUE
    },
    sprenn_error = function(e) {
      window$send("refused", conditionMessage(e))
      FALSE
    }
  )
}

viewing_ballots_of <- function(viewing, person) {
  ballots <- read_ballots(viewing$store)
  ballots[ballots$person == person &
    ballots$kind == (if (viewing$kind == "pairs") "pair" else "single"), ]
}

# A showing as it is sent to the page: the words, and where the pictures are. Pictures are served
# under meaningless names, as plain PNG, whatever file they came from.
showing_message <- function(desk, shown) {
  viewing <- desk$viewing
  case <- case_named(
    viewing$trial$suite,
    viewing$takes$case[match(shown$one, viewing$takes$take)]
  )
  serve <- function(what) {
    name <- fresh_key()
    desk$names$get(name, what)
    paste0("pictures/", name)
  }
  asked <- if (case$neutral) {
    "no prompt"
  } else {
    paste(vapply(case$prompt, `[[`, "", "say"), collapse = ", ")
  }
  list(
    ballot = shown$ballot,
    number = shown$number,
    wanted = shown$wanted,
    kind = shown$kind,
    asked = paste0(
      case$job, ": ", asked,
      if (!is.na(case$look)) paste0(" (look: ", case$look, ")")
    ),
    unwanted = if (length(case$negative)) {
      paste("unwanted:", paste(case$negative, collapse = ", "))
    } else {
      ""
    },
    phrases = as.list(
      if (shown$kind == "single") {
        vapply(asked_phrases(case), function(phrase) phrase$key, "")
      } else {
        character()
      }
    ),
    pictures = Filter(
      Negate(is.null),
      list(
        reference = if (!is.null(case$reference)) serve(list(case = case$id)),
        one = serve(list(case = case$id, take = shown$one)),
        other = if (!is.na(shown$other)) serve(list(case = case$id, take = shown$other))
      )
    )
  )
}

# The PNG of a take in its case's frame, or of the reference.
shown_bytes <- function(desk, what) {
  viewing <- desk$viewing
  case <- case_named(viewing$trial$suite, what$case)
  desk$pictures$get(what$take %||% paste("reference", what$case), {
    png::writePNG(
      if (is.null(what$take)) {
        fitted_reference(case, viewing$trial$suite)
      } else {
        take <- viewing$takes[viewing$takes$take == what$take, ]
        bring_back(
          decode_picture(encoded_picture(take_bytes(viewing$store, take))),
          case_frame(case, viewing$trial$suite)
        )
      }
    )
  })
}
