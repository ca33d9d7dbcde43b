# Viewings: which takes are shown to whom, and what people said of them. Names of pipelines
# never leave here before the results.

# A viewing draws from the takes that were made, without controls and the earlier steps of chains.
# `kind` is pairs or singles, `wanted` how many each person is asked for, `pick` whether pairs are
# chosen by how much they tell.
new_viewing <- function(trial, store, kind, wanted, pick, job, seed) {
  takes <- read_takes(store)
  takes <- takes[takes$state == "made" &
    is.na(takes$control) &
    takes$pipeline %in% trial$lineup$pipelines$pipeline, ]
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  if (!is.na(job)) {
    takes <- takes[takes$case %in% ids[jobs == job], ]
  }

  if (nrow(takes) == 0) {
    stop_sprenn(
      "viewing",
      c("There are no takes to judge.", i = "`sprenn run` makes takes first.")
    )
  }

  names <- unique(takes$pipeline)
  if (kind == "pairs" && length(names) < 2) {
    stop_sprenn(
      "viewing",
      c("Pairs need at least two pipelines.", i = "--singles shows one take at a time.")
    )
  }

  list(
    trial = trial,
    store = store,
    kind = kind,
    wanted = wanted,
    pick = pick,
    job = job,
    seed = seed,
    takes = takes,
    names = names
  )
}

# The next showing for a person: a list with `ballot` (a new id), `kind`, the takes `one` and
# `other`, and `repeats` (the ballot that it asks again, or NA); NULL when done. A tenth are
# earlier pairs in reverse order, to measure how consistent a person is.
next_showing <- function(viewing, person) {
  ballots <- read_ballots(viewing$store)
  mine <- ballots[ballots$person == person &
    ballots$kind == (if (viewing$kind == "pairs") "pair" else "single"), ]
  if (nrow(mine) >= viewing$wanted) {
    return(NULL)
  }

  # The same person goes on with the same draws, whatever others do meanwhile.
  withr::with_seed(strtoi(substr(hash_of(list(viewing$seed, person, nrow(mine))), 1, 7), 16), {
    shown <- if (viewing$kind == "singles") {
      next_single(viewing, mine)
    } else {
      next_pair(viewing, mine, ballots)
    }
  })
  if (!is.null(shown)) {
    c(list(ballot = fresh_key(), number = nrow(mine) + 1, wanted = viewing$wanted), shown)
  }
}

next_single <- function(viewing, mine) {
  open <- viewing$takes$take[!viewing$takes$take %in% mine$one]
  if (length(open) == 0) {
    return(NULL)
  }

  list(
    kind = "single",
    one = open[sample(length(open), 1)],
    other = NA_character_,
    repeats = NA_character_
  )
}

next_pair <- function(viewing, mine, ballots) {
  first <- mine[is.na(mine$repeats), ]
  again <- first[!first$ballot %in% mine$repeats & seq_len(nrow(first)) <= nrow(first) - 4, ]
  if (nrow(again) && (nrow(mine) + 1) %% 10 == 0) {
    old <- again[sample(nrow(again), 1), ]
    return(list(kind = "pair", one = old$other, other = old$one, repeats = old$ballot))
  }

  takes <- viewing$takes
  known <- pair_ballots(ballots, takes)
  pairs <- pair_worth(known[c("one", "other", "share")], viewing$names)
  often <- table(paste(pmin(known$one, known$other), pmax(known$one, known$other)))
  shown <- as.vector(often[paste(pmin(pairs$one, pairs$other), pmax(pairs$one, pairs$other))])
  shown[is.na(shown)] <- 0
  order <- if (viewing$pick) {
    order(-pairs$worth, stats::runif(nrow(pairs)))
  } else {
    order(shown, stats::runif(nrow(pairs)))
  }
  mine_seen <- paste(pmin(mine$one, mine$other), pmax(mine$one, mine$other))
  for (k in order) {
    one <- takes[takes$pipeline == pairs$one[k], ]
    other <- takes[takes$pipeline == pairs$other[k], ]
    at <- match(paste(one$case, one$seed), paste(other$case, other$seed))
    both <- which(!is.na(at) & one$sha256 != other$sha256[at])
    both <- both[!paste(
      pmin(one$take[both], other$take[at[both]]),
      pmax(one$take[both], other$take[at[both]])
    ) %in% mine_seen]
    if (length(both) == 0) {
      next
    }

    i <- both[sample(length(both), 1)]
    sides <- sample(c(one$take[i], other$take[at[i]]))
    return(list(kind = "pair", one = sides[1], other = sides[2], repeats = NA_character_))
  }

  NULL
}

#' Read the results of viewings
#'
#' @inheritParams run_trial
#' @return An object of class `sprenn_viewing`, a list: `ballots` (a data frame with a row each),
#'   `strengths` (from pairs, the strongest first: `pipeline`, `strength` (log odds of being
#'   preferred), its 90 % interval `low` and `high` for other cases and people like these,
#'   `shown`, `preferred`), `keepers` (from single takes: `pipeline`, `shown`, `kept`, `reasons`),
#'   `people` (how far each two agree, and each with themselves: `both`, `agreement`), `viewers`
#'   (a row a person: `answers`, how many of these `follow` what the others' say, against what was
#'   `expected`, the share answered with `care` by that (`low`, `high`), by which a person's
#'   answers count, the share for the `left` picture and whether it is odd (`left_odd`), what
#'   follows in the first and the last half (`early`, `late`), and whether the person `tires`),
#'   `measures` (how often a number agrees with people where one take of a pair was preferred:
#'   `measure`, `pairs`, `agreement`, a half is chance, and whether that is `beyond_luck`, so many
#'   numbers being looked at) and `weights` (for each job of the brief and axis the `weight` that
#'   agrees most with people, its 90 % interval, and the `brief`'s weight; `NULL` with fewer than
#'   20 pairs. They are never applied automatically).
#' @family viewings
#' @export
#' @examples
#' folder <- file.path(tempdir(), "viewing-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' read_viewing(trial)
#' unlink(folder, recursive = TRUE)
read_viewing <- function(trial, run = "main") {
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  viewing_of(store, trial)
}

viewing_of <- function(store, trial) {
  ballots <- read_ballots(store)
  takes <- read_takes(store, deciding_columns)
  pairs <- pair_ballots(ballots, takes)
  singles <- ballots[ballots$kind == "single", ]
  singles$pipeline <- takes$pipeline[match(singles$one, takes$take)]
  keepers <- lapply(
    split(singles, factor(singles$pipeline, unique(singles$pipeline))),
    function(own) {
      said <- sort(
        table(unlist(strsplit(own$reasons[!is.na(own$reasons)], ", ", fixed = TRUE))),
        decreasing = TRUE
      )
      new_table(
        pipeline = own$pipeline[1],
        shown = nrow(own),
        kept = sum(own$choice == "keep"),
        reasons = listed(paste(names(said), said, recycle0 = TRUE))
      )
    }
  )
  once <- pairs[!duplicated(pairs[c("person", "pair")]), ]
  viewers <- if (nrow(once)) viewer_table(once)
  if (nrow(once)) {
    once <- with_care(once, viewers)
  }

  structure(
    list(
      ballots = ballots,
      strengths = if (nrow(once)) strength_table(once),
      keepers = do.call(rbind, unname(keepers)),
      people = if (nrow(pairs)) agreement_table(pairs),
      viewers = viewers,
      measures = if (nrow(once)) measures_beside(once, store),
      weights = if (nrow(once)) weights_beside(once, store, trial)
    ),
    class = "sprenn_viewing"
  )
}

# Every number that has a better end, held against what people preferred.
measures_beside <- function(pairs, store) {
  shown <- unique(c(pairs$one_take, pairs$other_take))
  scores <- read_plain_scores(store)
  scores <- scores[scores$take %in% shown, ]
  facts <- list_measures()
  better <- stats::setNames(facts$better, facts$measure)
  measures <- unique(scores$measure)
  way <- c(higher = 1, lower = -1)[ifelse(is.na(better[measures]), "higher", better[measures])]
  names(way) <- measures
  way <- way[!is.na(way)]
  values <- vapply(
    names(way),
    function(measure) {
      own <- scores[scores$measure == measure, ]
      way[[measure]] * own$value[match(shown, own$take)]
    },
    numeric(length(shown))
  )
  if (length(way) == 0) {
    return(NULL)
  }

  values <- matrix(values, length(shown), dimnames = list(shown, names(way)))
  table <- siding_table(pairs, values)
  table <- new_table(
    measure = table$measure,
    axis = scores$axis[match(table$measure, scores$measure)],
    table[-1]
  )
  table[order(-table$agreement), ]
}

# The weights of the axes that side most with what people preferred, beside the brief's; style
# as the brief of the job wants it.
weights_beside <- function(pairs, store, trial) {
  shown <- unique(c(pairs$one_take, pairs$other_take))
  jobs <- brief_jobs(trial$brief)
  rows <- lapply(jobs, function(job) {
    brief <- brief_for(trial$brief, if (!is.na(job)) job)
    takes <- takes_for(store, trial, brief, trial$lineup$pipelines$pipeline)
    table <- axes_of(store, trial, brief, takes[takes$take %in% shown, ])
    values <- as.matrix(table[names(brief$weights)[brief$weights > 0]])
    rownames(values) <- table$take
    own <- pairs[pairs$one_take %in% table$take & pairs$other_take %in% table$take, ]
    found <- suggested_weights(own, values, seed = brief$seed)
    if (!is.null(found)) {
      new_table(
        job = job,
        found,
        brief = unname(brief$weights[found$axis])
      )
    }
  })
  do.call(rbind, rows)
}

# Ballots: what a person said of takes, kept as it comes.

# Pair ballots as the model takes them: pipelines, and the takes themselves.
pair_ballots <- function(ballots, takes) {
  own <- ballots[ballots$kind == "pair" &
    ballots$one %in% takes$take &
    ballots$other %in% takes$take, ]
  pipeline <- function(take) takes$pipeline[match(take, takes$take)]
  new_table(
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

# Records a ballot. The same ballot sent twice counts once; any other error is refused before it
# is written.
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
  insert_ballot(viewing$store, list(
    ballot = shown$ballot,
    person = person,
    kind = shown$kind,
    one = shown$one,
    other = shown$other,
    choice = said$choice,
    reasons = if (length(reasons)) paste(reasons, collapse = ", ") else NA_character_,
    phrases = if (length(phrases)) to_json(phrases) else NA_character_,
    seconds = as_number(said$seconds),
    said_at = now_utc(),
    repeats = shown$repeats
  ))
  record_viewed(viewing$store, viewing$trial$suite, shown$one)
}

reject_reasons <- c(
  "layout lost", "not what was asked", "wrong look", "something broken", "details lost",
  "looks pasted in"
)

# Takes a person's last ballot back; it is kept, marked. Returns what it showed, or NULL.
undo_ballot <- function(viewing, person) {
  last <- take_back_ballot(viewing$store, person)
  if (nrow(last) == 0) {
    return(NULL)
  }

  record_viewed(viewing$store, viewing$trial$suite, last$one)
  mine <- read_ballots(viewing$store)
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

# Turns what people say about phrases into evidence: the share of those who saw the phrase in the
# take. Only for `take`, or for all takes if it is NULL.
record_viewed <- function(store, suite, take = NULL) {
  ballots <- read_ballots(store)
  ballots <- ballots[ballots$kind == "single" & !is.na(ballots$phrases), ]
  if (!is.null(take)) {
    ballots <- ballots[ballots$one == take, ]
  }

  if (is.null(take)) {
    scores <- if (nrow(ballots)) {
      viewed_scores(ballots, read_takes(store, deciding_columns), suite)
    }
    replace_measures(store, "viewing", scores)
  } else {
    # Between two answers there is no time to read all takes of a large run.
    scores <- if (nrow(ballots)) viewed_scores(ballots, read_take(store, take), suite)
    replace_scores(store, scores, take, "viewing")
  }
}

viewed_scores <- function(ballots, takes, suite) {
  phrases <- suite_phrases(suite)
  rows <- lapply(seq_len(nrow(ballots)), function(i) {
    said <- read_json_text(ballots$phrases[i])
    new_table(
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

  if (NROW(said) > 0) {
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
  }
}
