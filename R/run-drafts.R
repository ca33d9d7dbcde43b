# Prompts that engines draft from references, for pipelines whose wording asks for them. They are
# drafted once for a run and kept with it, so that all of its takes are given the same words.

# The trial with the drafts that its run has kept, as `drafts`: phrases by engine and case.
with_drafts <- function(trial, store) {
  keys <- draft_keys(trial$suite)
  trial$drafts <- lapply(read_drafts(store), function(engine) {
    stats::setNames(lapply(engine$drafts[keys], unlist), names(keys))
  })
  trial
}

# Under what a draft for each case is kept: the part of its reference that is used.
draft_keys <- function(suite) {
  keys <- vapply(
    suite$cases,
    function(case) {
      reference <- case$reference
      hash_of(list(suite$files[[reference$path %||% ""]]$hash, reference$box))
    },
    ""
  )
  stats::setNames(keys, vapply(suite$cases, `[[`, "", "id"))
}

# Has what the plan needs drafted, as far as the run does not have it; the trial with all drafts.
draft_for_run <- function(trial, store, plan, progress = NULL) {
  needed <- drafts_needed(trial, plan)
  kept <- read_drafts(store)
  keys <- draft_keys(trial$suite)
  for (name in names(needed)) {
    engine <- trial$lineup$engines[[name]]
    if (!identical(kept[[name]]$version, engine$about$version)) {
      kept[[name]] <- list(version = engine$about$version, drafts = list())
    }

    known <- keys[needed[[name]]] %in% names(kept[[name]]$drafts)
    for (id in needed[[name]][!known]) {
      if (!is.null(progress)) {
        words <- paste0(name, " drafts a prompt for ", id)
        progress(done = 0, total = nrow(plan), failed = 0, seconds = 0, words = words)
      }

      drafted <- draft_of_case(case_named(trial$suite, id), engine, name)
      kept[[name]]$drafts[[keys[[id]]]] <- as.list(drafted)
      set_facts(store, drafts = to_json(kept))
    }
  }

  with_drafts(trial, store)
}

# The ids of the cases that each drafting engine is to describe.
drafts_needed <- function(trial, plan) {
  steps <- all_steps(trial$lineup)
  by <- vapply(steps$gives, function(gives) drafted_by(gives) %||% NA_character_, "")
  names(by) <- steps$pipeline
  pairs <- unique(data.frame(by = unname(by[plan$pipeline]), case = plan$case))
  pairs <- pairs[!is.na(pairs$by), ]
  split(pairs$case, pairs$by)
}

draft_of_case <- function(case, engine, name) {
  said <- try_patiently(
    function() caption_picture(engine, case$reference),
    key = paste(name, case$id)
  )
  if (inherits(said, "condition")) {
    stop_sprenn(
      "run",
      c(
        paste0(name, " can't draft a prompt for ", case$id, ". No take was made."),
        x = safe_message(conditionMessage(said), engine$secrets),
        i = "The same command tries again; or leave `wording.drafted_by` out of lineup.yml."
      )
    )
  }

  said
}

read_drafts <- function(store) {
  kept <- get_facts(store)$drafts
  if (is.null(kept)) list() else read_json_text(kept)
}
