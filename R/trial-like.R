# Entries that take over from others of their list by `like`.

# `read` with all such entries of the list `name` filled in, and what is wrong
# with them added to its problems. A key of the entry's own wins; a key taken
# over that the rules ban beside one of its own is left behind.
fill_in_likes <- function(read, name) {
  entries <- if (is.list(read$value)) read$value[[name]]
  if (!is.list(entries) ||
    !any(vapply(entries, function(entry) is_keyed(entry) && is_text(entry$like), NA))) {
    return(read)
  }

  tree <- trial_trees[[read$file]]$children[[name]]$item
  ids <- vapply(
    entries,
    function(entry) if (is_keyed(entry) && is_text(entry$id)) entry$id else NA_character_,
    ""
  )
  base <- vapply(
    entries,
    function(entry) if (is_keyed(entry) && is_text(entry$like)) entry$like else NA_character_,
    ""
  )
  problems <- list()
  note <- function(i, ...) {
    problems[[length(problems) + 1]] <<- new_problem(
      read$file,
      paste0(name, "[", i, "].like"),
      ...
    )
  }

  filled <- entries
  for (i in which(!is.na(base))) {
    chain <- i
    while (!is.na(base[utils::tail(chain, 1)]) && !anyDuplicated(chain)) {
      chain <- c(chain, match(base[utils::tail(chain, 1)], ids))
    }

    if (anyNA(chain)) {
      missing <- base[utils::tail(stats::na.omit(chain), 1)]
      if (length(chain) == 2) {
        note(
          i,
          quoted(missing),
          paste("the id of another of the", name),
          nearest_word(missing, stats::na.omit(ids))
        )
      }
    } else if (anyDuplicated(chain)) {
      note(
        i,
        paste("a circle:", paste(ids[chain], collapse = " like ")),
        paste("an entry that leads to one without `like`")
      )
    } else {
      filled[[i]] <- Reduce(
        function(above, j) take_over(entries[[j]], above, tree$rules),
        rev(chain)[-1],
        entries[[utils::tail(chain, 1)]]
      )
      walked <- walk_record(filled[[i]], paste0(name, "[", i, "]"), tree, read$file)
      problems <- c(problems, walked)
    }
  }

  read$value[[name]] <- filled
  found <- bind_problems(problems)
  new <- !paste(found$place, found$found) %in% paste(read$problems$place, read$problems$found)
  read$problems <- bind_problems(read$problems, found[new, ])
  read
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
