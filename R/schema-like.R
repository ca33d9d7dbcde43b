# Entries that take over from others of their list by `like`.

# `read` with all such entries of the list `name` filled in, and what is wrong
# with them added to its problems. A key of the entry's own wins; a key taken
# over that the rules ban beside one of its own is left behind.
fill_in_likes <- function(read, name) {
  entries <- if (is.list(read$value)) read$value[[name]]
  text_of <- function(entry, key) {
    if (is_keyed(entry) && is_text(entry[[key]])) {
      entry[[key]]
    } else {
      NA_character_
    }
  }

  base <- vapply(entries, text_of, "", "like")
  if (!is.list(entries) || all(is.na(base))) {
    return(read)
  }

  ids <- vapply(entries, text_of, "", "id")
  tree <- trial_trees[[read$file]]$children[[name]]$item
  problems <- list()
  for (i in which(!is.na(base))) {
    place <- paste0(name, "[", i, "]")
    chain <- chain_of_likes(i, base, ids)
    if (anyNA(chain) || anyDuplicated(chain)) {
      problems <- c(problems, list(broken_chain(chain, base, ids, name, place, read$file)))
      next
    }

    read$value[[name]][[i]] <- Reduce(
      function(above, j) take_over(entries[[j]], above, tree$rules),
      rev(chain)[-1],
      entries[[utils::tail(chain, 1)]]
    )
    walked <- walk_record(read$value[[name]][[i]], place, tree, read$file)
    problems <- c(problems, walked)
  }

  found <- bind_problems(problems)
  new <- !paste(found$place, found$found) %in% paste(read$problems$place, read$problems$found)
  read$problems <- bind_problems(read$problems, found[new, ])
  read
}

# An entry, the one that it is like, the one that this is like, and so on: their numbers, NA at
# the end where an id is missing, one twice where they go round.
chain_of_likes <- function(i, base, ids) {
  chain <- i
  while (!is.na(base[utils::tail(chain, 1)]) && !anyDuplicated(chain)) {
    chain <- c(chain, match(base[utils::tail(chain, 1)], ids))
  }

  chain
}

# What is wrong with a chain that leads nowhere; it is said of the entry that names what is
# missing, and of no other.
broken_chain <- function(chain, base, ids, name, place, file) {
  at <- paste0(place, ".like")
  if (!anyNA(chain)) {
    return(new_problem(
      file,
      at,
      paste("a circle:", paste(ids[chain], collapse = " like ")),
      "an entry that leads to one without `like`"
    ))
  }

  if (length(chain) == 2) {
    missing <- base[chain[1]]
    near <- nearest_word(missing, stats::na.omit(ids))
    new_problem(file, at, quoted(missing), paste("the id of another of the", name), near)
  }
}

take_over <- function(own, above, rules) {
  own$like <- NULL
  inherited <- above[setdiff(names(above), names(own))]
  merged <- c(own, inherited)
  for (rule in rules) {
    if (is.null(rule$key) || !rule_holds(rule, merged)) {
      next
    }

    if (rule$key %in% names(own)) {
      merged[intersect(rule$bans, names(inherited))] <- NULL
    }

    if (rule$key %in% names(inherited) && any(rule$bans %in% names(own))) {
      merged[[rule$key]] <- NULL
    }
  }

  merged
}
