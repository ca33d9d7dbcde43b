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
  token <- fresh_key()
  port <- port %||% httpuv::randomPort()
  app <- viewing_app(viewing, token)
  ends <- clock() + seconds
  app$onStart <- function() {
    # Once the server listens.
    later::later(function() ready(paste0("http://127.0.0.1:", port, "/?token=", token)), 0)
    watch <- function() if (clock() >= ends) shiny::stopApp() else later::later(watch, 0.5)
    if (is.finite(seconds)) {
      watch()
    }
  }

  # runApp() attaches shiny, and says so.
  withCallingHandlers(
    tryCatch(
      shiny::runApp(app, host = "127.0.0.1", port = port, quiet = TRUE, launch.browser = FALSE),
      interrupt = function(e) NULL
    ),
    packageStartupMessage = function(m) invokeRestart("muffleMessage")
  )
  invisible(viewing_of(store, trial))
}

# The page and its server. It keeps track of who is using which name.
viewing_app <- function(viewing, token) {
  desk <- list(
    viewing = viewing,
    token = token,
    people = PeopleViewing$new(),
    pictures = Cache$new()
  )
  ui <- function(request) {
    if (!is_from_here(request) || !has_token(desk, request$QUERY_STRING)) {
      return(shiny::httpResponse(
        403,
        "text/plain; charset=utf-8",
        "This page needs the complete address that `sprenn viewing` printed, with its token."
      ))
    }

    viewing_page(viewing)
  }

  server <- function(input, output, session) {
    # Pages of other sites may open a WebSocket to this machine too.
    if (is_from_here(session$request)) {
      serve_person(desk, input, session)
    } else {
      session$close()
    }
  }
  app <- shiny::shinyApp(ui, server)
  answer <- app$httpHandler
  app$httpHandler <- function(request) {
    response <- answer(request)
    if (!is.null(response)) {
      response$headers <- utils::modifyList(as.list(response$headers), viewing_headers())
    }

    response
  }
  app
}

# Nothing but our own script runs, no other site may show the page in a frame, and the address
# with its token is told to nobody.
viewing_headers <- function() {
  list(
    "Content-Security-Policy" = paste0(
      "default-src 'self'; script-src 'self' ", only_source(page_part("page.js")),
      "; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; ",
      "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options" = "nosniff",
    "Referrer-Policy" = "no-referrer"
  )
}

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

has_token <- function(desk, query) {
  identical(shiny::parseQueryString(query %||% "")$token, desk$token)
}

# Whether a request names this machine, and comes from one of our own pages if from any.
is_from_here <- function(request) {
  host <- request$HTTP_HOST %||% ""
  origin <- request$HTTP_ORIGIN
  grepl("^(127[.]0[.]0[.]1|localhost)(:[0-9]+)?$", host) &&
    (is.null(origin) || identical(tolower(origin), paste0("http://", tolower(host))))
}

# One browser window: its person, and what it shows.
serve_person <- function(desk, input, session) {
  viewing <- desk$viewing
  person <- NULL
  shown <- NULL
  send <- function(next_one) {
    shown <<- next_one
    if (is.null(shown)) {
      session$sendCustomMessage("done", done_words(viewing, person))
    } else {
      message <- showing_message(viewing, shown, session, desk$pictures)
      session$sendCustomMessage("show", message)
    }
  }

  shiny::observeEvent(input$person, {
    name <- trimws(gsub("[[:space:]]+", " ", clean_text(as.character(input$person$name))))
    refused <- why_refused(desk, name, session)
    if (is.null(refused)) {
      desk$people$add(name, session$token)
      person <<- name
      send(next_showing(viewing, name))
    } else {
      session$sendCustomMessage("refused", refused)
    }
  })
  shiny::observeEvent(input$said, {
    # A ballot of another showing is an old one, sent twice or late.
    current <- !is.null(person) && identical(input$said$ballot, shown$ballot)
    if (current &&
      !is.null(shown) &&
      keep_ballot(viewing, person, shown, input$said, session)) {
      send(next_showing(viewing, person))
    }
  })
  shiny::observeEvent(input$undo, {
    if (!is.null(person)) {
      send(undo_ballot(viewing, person) %||% next_showing(viewing, person))
    }
  })
  shiny::observeEvent(input$results, {
    if (!is.null(person)) {
      results <- results_html(viewing_of(viewing$store, viewing$trial))
      session$sendCustomMessage("results", as.character(results))
    }
  })
  session$onSessionEnded(function() {
    if (!is.null(person)) {
      desk$people$remove(person, session$token)
    }
  })
}

done_words <- function(viewing, person) {
  count <- nrow(viewing_ballots_of(viewing, person))
  paste0(
    count_words(count, "answer"), if (count == 1) " is" else " are",
    " kept under the name ", person, ". You can close this page."
  )
}

why_refused <- function(desk, name, session) {
  if (!has_token(desk, session$clientData$url_search)) {
    return("This page needs the complete address that was printed, with its token.")
  }

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
keep_ballot <- function(viewing, person, shown, said, session) {
  tryCatch(
    {
      record_ballot(viewing, person, shown, said)
      TRUE
    },
    sprenn_error = function(e) {
      session$sendCustomMessage("refused", conditionMessage(e))
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
showing_message <- function(viewing, shown, session, pictures) {
  case <- case_named(
    viewing$trial$suite,
    viewing$takes$case[match(shown$one, viewing$takes$take)]
  )
  frame <- case_frame(case, viewing$trial$suite)
  png_of_take <- function(id) {
    pictures$get(id, {
      take <- viewing$takes[viewing$takes$take == id, ]
      png::writePNG(
        bring_back(decode_picture(encoded_picture(take_bytes(viewing$store, take))), frame)
      )
    })
  }

  serve <- function(bytes) {
    session$registerDataObj(fresh_key(), bytes, function(data, request) {
      shiny::httpResponse(200, "image/png", data, headers = list("Cache-Control" = "no-store"))
    })
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
        reference = if (!is.null(case$reference)) {
          serve(
            pictures$get(
              paste("reference", case$id),
              png::writePNG(fitted_reference(case, viewing$trial$suite))
            )
          )
        },
        one = serve(png_of_take(shown$one)),
        other = if (!is.na(shown$other)) serve(png_of_take(shown$other))
      )
    )
  )
}
