# Where a trial leaves the measures less to go by than they could have: said before a run,
# with the verdict and in the report.

# In words, one piece an item; none if there is nothing to say. `cases` are those that count.
weak_spots <- function(trial, cases = trial$suite$cases) {
  ids <- function(of) shorten_list(vapply(of, `[[`, "", "id"))
  makes_anew <- function(case) case$job %in% c("restyle", "vary", "blend", "fresh")
  unshown <- Filter(function(case) makes_anew(case) && is.na(case$look), cases)
  unwatched <- Filter(function(case) case$job == "restyle" && length(case$watch) == 0, cases)
  repairs <- Filter(function(case) case$job == "repair", cases)
  able <- vapply(trial$lineup$pipelines$jobs, function(jobs) "repair" %in% jobs, NA)
  pipelines <- sum(able & is.na(trial$lineup$pipelines$follows))
  few_repairs <- pipelines * length(trial$suite$seeds) < fewest_repairs
  c(
    if (length(unshown)) {
      paste0(
        "No picture shows the look of ", ids(unshown),
        ": grain, blotches, few tones and clipped ",
        "light may be intended, and count as slight flaws at most. Pictures of the look help."
      )
    },
    if (length(unwatched)) {
      paste0(
        "Nothing is watched in ", ids(unwatched),
        ": a spoilt face in a picture that is fine ",
        "otherwise may go unseen. Watch regions help."
      )
    },
    if (length(repairs) && few_repairs) {
      paste0(
        "Fewer than ",
        fewest_repairs,
        " takes of ",
        ids(repairs),
        ": damage that stayed, and ",
        "what a repair erased, are found by comparing a case's repairs. More seeds or pipelines ",
        "help."
      )
    },
    shared_words(trial$suite, cases)
  )
}

# Cases that share a reference, or one of several looks, are no independent witnesses.
shared_words <- function(suite, cases) {
  pictures <- with_pictures(tibble::tibble(case = vapply(cases, `[[`, "", "id")), suite)
  independent <- independent_pictures(pictures)
  if (length(cases) < 2 || independent == length(cases)) {
    return(NULL)
  }

  of <- if (independent == length(unique(pictures$reference))) "reference" else "look"
  paste0(
    "These ", length(cases), " cases have ", count_words(independent, of),
    " between them, and how a pipeline ", "does on other pictures is told from those: ",
    independent, " witnesses, not ", length(cases), ". Cases of ", "other ", of,
    "s would say more."
  )
}

# A take and two others that mended it as well.
fewest_repairs <- 3
