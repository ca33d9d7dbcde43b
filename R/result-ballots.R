# Ballots: what a person said of takes, kept as it comes.

# Pair ballots as the model takes them: pipelines, and the takes themselves.
pair_ballots <- function(ballots, takes) {
  own <- ballots[ballots$kind == "pair" &
    ballots$one %in% takes$take &
    ballots$other %in% takes$take, ]
  pipeline <- function(take) takes$pipeline[match(take, takes$take)]
  tibble::tibble(
    person = own$person,
    case = takes$case[match(own$one, takes$take)],
    one = pipeline(own$one),
    other = pipeline(own$other),
    share = unname(c(one = 1, other = 0, neither = 0.5)[own$choice]),
    one_take = own$one,
    other_take = own$other,
    pair = paste(pmin(own$one, own$other), pmax(own$one, own$other)),
    choice = ifelse(
      own$choice == "neither",
      NA_character_,
      ifelse(own$choice == "one", own$one, own$other)
    )
  )
}

viewing_ballots <- function(store) {
  rows <- tibble::as_tibble(
    read_db(
      store,
      paste0(
        "SELECT ballot, person, kind, one, other, choice, reasons, phrases, seconds, said_at, ",
        "repeats FROM ballots WHERE undone = 0 ORDER BY number"
      )
    )
  )
  for (column in c("other", "reasons", "phrases", "repeats")) {
    rows[[column]] <- as.character(rows[[column]])
  }

  rows
}

# What was said of a showing. The same ballot twice is one; whatever else is wrong with it
# is refused before it is written.
record_ballot <- function(viewing, person, shown, said) {
  choices <- if (shown$kind == "pair") c("one", "other", "neither") else c("keep", "reject")
  if (!is_text(said$choice) || !said$choice %in% choices) {
    stop_sprenn(
      "viewing",
      paste0(
        "A ballot must be one of ", listed(choices), ", not ", show_value(said$choice),
        "."
      )
    )
  }

  reasons <- intersect(as.character(unlist(said$reasons)), reject_reasons)
  phrases <- Filter(function(one) one %in% c("yes", "no"), lapply(said$phrases, as.character))
  write_db(
    viewing$store$db,
    "INSERT INTO ballots (number, ballot, person, kind, one, other, choice, reasons, phrases,
      seconds, said_at, repeats)
      VALUES ((SELECT COALESCE(MAX(number), 0) + 1 FROM ballots), ?, ?, ?, ?, ?, ?, ?, ?, ?, ?,
      ?) ON CONFLICT (ballot) DO NOTHING",
    params = list(
      shown$ballot,
      person,
      shown$kind,
      shown$one,
      shown$other,
      said$choice,
      if (length(reasons)) paste(reasons, collapse = ", ") else NA_character_,
      if (length(phrases)) to_json(phrases) else NA_character_,
      as_number(said$seconds),
      now_utc(),
      shown$repeats
    )
  )
}

reject_reasons <- c(
  "layout lost", "not what was asked", "wrong look", "something broken", "details lost",
  "looks pasted in"
)

# Takes a person's last ballot back; it is kept, marked. Returns what it showed, or NULL.
undo_ballot <- function(viewing, person) {
  last <- read_db(
    viewing$store,
    paste0(
      "SELECT ballot, kind, one, other, repeats FROM ballots WHERE person = ? AND undone = 0 ",
      "ORDER BY number DESC LIMIT 1"
    ),
    params = list(person)
  )
  if (nrow(last) == 0) {
    return(NULL)
  }

  write_db(
    viewing$store$db,
    "UPDATE ballots SET undone = 1 WHERE ballot = ?",
    params = list(last$ballot)
  )
  mine <- viewing_ballots(viewing$store)
  list(
    ballot = fresh_key(),
    number = sum(mine$person == person & mine$kind == last$kind) + 1,
    wanted = viewing$wanted,
    kind = last$kind,
    one = last$one,
    other = as.character(last$other),
    repeats = as.character(last$repeats)
  )
}

# What people say of phrases becomes evidence, as other sources' does: the share of those
# who saw it there.
record_viewed <- function(store, suite) {
  ballots <- viewing_ballots(store)
  ballots <- ballots[ballots$kind == "single" & !is.na(ballots$phrases), ]
  takes <- read_takes(store, deciding_columns)
  phrases <- suite_phrases(suite)
  rows <- lapply(seq_len(nrow(ballots)), function(i) {
    said <- jsonlite::parse_json(ballots$phrases[i])
    tibble::tibble(
      take = ballots$one[i],
      phrase = names(said),
      yes = as.numeric(unlist(said) == "yes")
    )
  })
  said <- do.call(rbind, rows)
  if (!is.null(said)) {
    unwanted <- phrases$unwanted[match(
      paste(takes$case[match(said$take, takes$take)], said$phrase),
      paste(phrases$case, phrases$phrase)
    )]
    said <- said[!is.na(unwanted), ]
    said$value <- ifelse(unwanted[!is.na(unwanted)], 1 - said$yes, said$yes)
    said <- stats::aggregate(cbind(value, yes) ~ take + phrase, said, mean)
  }

  in_transaction(store$db, {
    write_db(store$db, "DELETE FROM scores WHERE measure = 'viewing'")
    if (NROW(said)) {
      insert_scores(
        store,
        data.frame(
          take = said$take,
          axis = "adherence",
          measure = "viewing",
          phrase = said$phrase,
          value = said$value,
          raw = said$yes,
          level = NA_character_,
          place = NA_character_
        )
      )
    }
  })
}
