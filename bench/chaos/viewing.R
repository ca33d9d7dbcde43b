# Kills of a viewing while people answer. They speak as the page does, over its WebSocket. What a
# person was shown the next picture for is kept, once; after a kill they open the new address and
# complete what they were asked for.

people_asked <- 3
answers_asked <- 12

# One person in front of a page at `address`. `diary` is an environment that outlives the viewing:
# `said`, the choices by ballot that were acknowledged, `undone`, the ballots taken back, and
# `done`.
sit_down <- function(name, address, diary) {
  place <- sub("^http://([^/]*)/.*$", "\\1", address)
  socket <- websocket::WebSocket$new(
    paste0("ws", sub("^http", "", address), "live"),
    headers = list(Origin = paste0("http://", place)),
    autoConnect = FALSE,
    errorLogChannels = "none"
  )
  say <- function(kind, said) {
    message <- list(kind = kind, said = said)
    if (socket$readyState() == 1L) socket$send(jsonlite::toJSON(message, auto_unbox = TRUE))
  }
  underway <- NULL
  acknowledge <- function() {
    if (identical(underway$kind, "said")) diary$said[underway$ballot] <- underway$choice
    if (identical(underway$kind, "undo")) diary$undone <- c(diary$undone, underway$ballot)
    underway <<- NULL
  }
  answer <- function(shown) {
    last <- tail(setdiff(names(diary$said), diary$undone), 1)
    if (length(last) && shown$number > 1 && runif(1) < 0.15) {
      underway <<- list(kind = "undo", ballot = last)
      return(say("undo", list()))
    }

    choices <- if (shown$kind == "pair") c("one", "other", "neither") else c("keep", "reject")
    underway <<- list(kind = "said", ballot = shown$ballot, choice = sample(choices, 1))
    phrases <- stats::setNames(rep(list("yes"), length(shown$phrases)), unlist(shown$phrases))
    say("said", list(
      ballot = shown$ballot,
      choice = underway$choice,
      reasons = list(),
      phrases = phrases,
      seconds = 1
    ))
  }
  socket$onOpen(function(event) say("person", list(name = name)))
  socket$onMessage(function(event) {
    message <- jsonlite::parse_json(event$data)
    switch(message$kind,
      refused = found("a viewing refused ", name, ": ", message$said),
      show = {
        acknowledge()
        later::later(function() answer(message$said), runif(1, 0, 0.05))
      },
      done = {
        acknowledge()
        diary$done <- TRUE
      }
    )
  })
  socket$connect()
  socket
}

new_diary <- function() {
  diary <- new.env()
  diary$said <- character()
  diary$undone <- character()
  diary$done <- FALSE
  diary
}

# Starts a viewing; returns its command, with the address once it is there.
open_viewing <- function(box, kind, before = character()) {
  words <- c("viewing", "trial", "--ballots", answers_asked, "--for", "120", kind)
  command <- start_command(words, box, before)
  ends <- Sys.time() + 30
  while (Sys.time() < ends && command$process$is_alive()) {
    address <- grep("^ +http://", said_by(command), value = TRUE)
    if (length(address)) {
      command$address <- trimws(address[1])
      return(command)
    }

    Sys.sleep(0.05)
  }

  command
}

# Lets people answer until all are done, the viewing has ended or the time is over.
let_answer <- function(command, diaries, seconds) {
  for (name in names(diaries)) {
    diaries[[name]]$done <- FALSE
  }

  sockets <- Map(function(name, diary) sit_down(name, command$address, diary), names(diaries), diaries)
  ends <- Sys.time() + seconds
  done <- function() all(vapply(diaries, function(diary) diary$done, NA))
  while (Sys.time() < ends && !done() && command$process$is_alive()) {
    later::run_now(0.02)
  }

  sockets
}

leave <- function(sockets) {
  for (socket in sockets) {
    try(socket$close(), silent = TRUE)
  }

  for (i in 1:5) {
    later::run_now(0.02)
  }
}

ballots_kept <- function(box) {
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(box, "trial", "runs", "main", "run.sqlite"))
  on.exit(DBI::dbDisconnect(db))
  whole <- DBI::dbGetQuery(db, "PRAGMA integrity_check")[[1]]
  list(whole = identical(whole, "ok"), rows = DBI::dbGetQuery(db, "SELECT * FROM ballots"))
}

# Holds what is kept against what people remember.
compare_ballots <- function(what, box, diaries) {
  kept <- ballots_kept(box)
  if (!kept$whole) {
    found(what, ": the records are damaged")
  }

  for (name in names(diaries)) {
    diary <- diaries[[name]]
    rows <- kept$rows[kept$rows$person == name, ]
    choice <- rows$choice[match(names(diary$said), rows$ballot)]
    lost <- is.na(choice) | choice != diary$said
    if (any(lost)) {
      found(what, ": ", sum(lost), " answers of ", name, " are lost or other")
    }

    undone <- rows$undone[match(diary$undone, rows$ballot)]
    if (any(is.na(undone) | undone == 0)) {
      found(what, ": what ", name, " took back still counts")
    }

    unknown <- setdiff(rows$ballot, names(diary$said))
    if (length(unknown) > 1) {
      found(what, ": ", length(unknown), " answers of ", name, " that nobody saw kept")
    }

    # What was in flight and was kept is known from now on.
    diary$said[unknown] <- rows$choice[match(unknown, rows$ballot)]
    diary$undone <- union(diary$undone, rows$ballot[rows$undone == 1])
  }
}

# Whether the evidence is what the answers say.
compare_viewed <- function(what, box) {
  store <- core("open_store")(file.path(box, "trial"), "main")
  on.exit(core("close_store")(store))
  own <- function() {
    scores <- core("read_scores")(store)
    scores <- scores[scores$measure == "viewing", c("take", "phrase", "value")]
    scores[order(scores$take, scores$phrase), ]
  }
  before <- own()
  core("record_viewed")(store, read_trial(file.path(box, "trial"))$suite)
  if (!isTRUE(all.equal(before, own(), check.attributes = FALSE))) {
    found(what, ": the evidence is not what the answers say")
  }
}

kill_viewing <- function(i, run, kind) {
  place <- tempfile("viewing-", work)
  box <- copy_folder(run, place)
  on.exit(unlink(place, recursive = TRUE))
  diaries <- lapply(stats::setNames(nm = paste0("person ", seq_len(people_asked))), function(name) {
    new_diary()
  })
  at_call <- has_strace() && i %% 2 == 0
  number <- sample(5:80, 1)
  injected <- paste0("inject=pwrite64:signal=KILL:when=", number)
  before <- if (at_call) {
    c("strace", "-f", "-qq", "-o", "/dev/null", "-e", "trace=pwrite64", "-e", injected)
  } else {
    character()
  }
  command <- open_viewing(box, kind, before)
  seconds <- if (at_call) 60 else runif(1, 0.05, 0.5)
  what <- paste0(
    paste(c("viewing", kind), collapse = " "), ", killed ",
    if (at_call) paste("at write", number) else sprintf("after %.2f s", seconds)
  )
  # It may have been killed before it had an address.
  sockets <- if (!is.null(command$address)) let_answer(command, diaries, seconds)
  hit <- !all(vapply(diaries, function(diary) diary$done, NA))
  command$process$kill_tree()
  leave(sockets)
  compare_ballots(what, box, diaries)
  again <- open_viewing(box, kind)
  if (is.null(again$address)) {
    found(what, ": the next one did not open: ", said_by(again))
    return(hit)
  }

  leave(let_answer(again, diaries, 60))
  again$process$interrupt()
  end_command(again, 30, paste0(what, ", again"))
  compare_ballots(what, box, diaries)
  rows <- ballots_kept(box)$rows
  counts <- table(factor(rows$person[rows$undone == 0], names(diaries)))
  if (any(counts != answers_asked)) {
    found(what, ": people have ", paste(counts, collapse = ", "), " answers, not ", answers_asked)
  }

  compare_viewed(what, box)
  hit
}

run_viewing <- function(count) {
  running <- start_standins("bracken", seconds = 0)
  on.exit(stop_standins(running))
  box <- file.path(work, "viewed")
  dir.create(box)
  write_base_trial(file.path(box, "trial"), running$addresses[["bracken"]], cases = 3)
  stopifnot(run_command(c("run", "trial", "--workers", "0"), box)$status == 0)
  kinds <- list("--singles", character())
  hits <- 0
  for (i in seq_len(count)) {
    hits <- hits + kill_viewing(i, box, kinds[[1 + (i %/% 2) %% 2]])
  }

  say(
    "viewing: %d kills, %d while people answered; %d finds",
    count, hits, length(finds)
  )
}
