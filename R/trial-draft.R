#' Draft prompts from the pictures
#'
#' Has an engine that can caption describe the references of a suite, and writes its phrases into
#' `suite.yml` as prompts, for a person to edit. Each phrase carries a mark that fits only its
#' words: it counts as drafted until the words are edited. Nothing else in the file changes,
#' comments included.
#'
#' Cases with a hand-written phrase are left alone unless `join` is set; drafted phrases that
#' nobody has edited are replaced. Cases without a reference, and those whose prompt is neutral or
#' taken over from another case, are left alone.
#'
#' @param trial A trial's folder. Its suite may lack prompts, but must have no other problem.
#' @param engine The name of an engine in `lineup.yml`, or an [engine()], that
#'   has `caption`.
#' @param cases Ids of the cases to draft; all if `NULL`.
#' @param join Whether to add drafted phrases after hand-written ones.
#' @param progress A function called with `done`, `total`, `failed` and
#'   `seconds` after every case, or `NULL`.
#' @return A data frame with a row a case: `case`, `state` (`drafted`, `joined`,
#'   `hand-written`, `neutral`, `no reference`, `taken over`, `failed`), `draft`
#'   (the phrases, a list) and `message` (why it failed). Invisibly.
#' @section Errors: `sprenn_error_trial` when the trial has other problems;
#'   `sprenn_error_argument` for an unknown engine or case, or an engine that can't caption;
#'   `sprenn_error_draft` if the file can't be edited or written; it is then left unchanged.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "draft-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' draft_prompts(folder, standin_bracken(), join = TRUE)
#' grep("drafted", readLines(file.path(folder, "suite.yml")), value = TRUE)
#' unlink(folder, recursive = TRUE)
draft_prompts <- function(trial, engine, cases = NULL, join = FALSE, progress = NULL) {
  check_arguments(
    trial = checkmate::check_directory_exists(trial),
    cases = checkmate::check_character(cases, any.missing = FALSE, null.ok = TRUE),
    join = checkmate::check_flag(join),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  folder <- normalizePath(trial, winslash = "/")
  describer <- captioning_engine(engine, folder)
  own <- read_draftable(folder)
  ids <- vapply(own$cases, `[[`, "", "id")
  stop_for_unknown(cases, ids, "The suite", "case")
  todo <- if (is.null(cases)) seq_along(ids) else match(cases, ids)
  began <- Sys.time()
  rows <- lapply(seq_along(todo), function(k) {
    row <- draft_one(own$cases[[todo[k]]], own$written[[todo[k]]], describer, folder, join)
    if (!is.null(progress)) {
      progress(
        done = k,
        total = length(todo),
        failed = 0,
        seconds = as.numeric(Sys.time() - began, units = "secs")
      )
    }

    row
  })
  drafts <- do.call(rbind, rows)
  new <- drafts$state %in% c("drafted", "joined")
  prompts <- Map(
    function(k, row) {
      c(
        hand_phrases(own$written[[k]]$prompt),
        lapply(row, function(say) list(say = say, drafted = draft_mark(say)))
      )
    },
    todo[new],
    drafts$draft[new]
  )
  if (any(new)) {
    write_prompts(folder, own, todo[new], prompts)
  }

  invisible(drafts)
}

captioning_engine <- function(engine, folder) {
  if (!inherits(engine, "sprenn_engine")) {
    lineup <- read_trial_file(folder, "lineup.yml")
    made <- if (is.list(lineup$value$engines)) build_engines(lineup, folder, list())
    stop_for_problems(
      place_problems(
        bind_problems(lineup$problems, made$problems),
        list(lineup.yml = lineup$text)
      ),
      what = "This lineup"
    )
    known <- names(made$engines)
    if (!isTRUE(engine %in% known)) {
      stop_sprenn(
        "argument",
        c(
          paste0("lineup.yml has no engine ", show_value(engine), "."),
          i = paste("It has", paste(known, collapse = ", "))
        )
      )
    }

    engine <- made$engines[[engine]]
  }

  if (is.null(engine$caption)) {
    stop_sprenn(
      "argument",
      c(
        paste0(engine$about$name, " can't caption."),
        i = "Name an engine that says what is in a picture; see `caption` in the help of engine()."
      )
    )
  }

  engine
}

# The phrases of a prompt that a person wrote or edited.
hand_phrases <- function(prompt) {
  phrases <- if (is.list(prompt)) {
    prompt
  } else if (!is.null(prompt)) {
    list(prompt)
  }
  Filter(function(phrase) !is.list(phrase) || !is_drafted(phrase), phrases)
}

draft_one <- function(case, written, describer, folder, join) {
  first <- first_reference(case)
  by_hand <- hand_phrases(written$prompt)
  answer <- function(state, draft = character(), message = NA_character_) {
    new_table(case = case$id, state = state, draft = list(draft), message = message)
  }

  if (identical(case$prompt, "neutral")) {
    answer("neutral")
  } else if (is.null(first)) {
    answer("no reference")
  } else if (is.null(written$prompt) && !is.null(case$prompt)) {
    answer("taken over")
  } else if (length(by_hand) && !join) {
    answer("hand-written")
  } else {
    tryCatch(
      answer(
        if (length(by_hand)) "joined" else "drafted",
        caption_picture(
          describer,
          build_reference(first, function(path) resolve_path(path, folder)$path)
        )
      ),
      error = function(e) {
        if (inherits(e, "sprenn_error")) {
          stop(e)
        } else {
          answer("failed", message = conditionMessage(e))
        }
      }
    )
  }
}

# The engine's caption for the part of a picture that is used, each phrase checked.
caption_picture <- function(describer, reference) {
  pixels <- take_window(
    read_picture(reference$path, reference$backdrop),
    pmin(pmax(reference$box, 0), 1),
    c(1, 1, 1)
  )
  size <- dim(pixels)[2:1]
  said <- describer$caption(
    resize_picture(pixels, pmax(1, round(size * min(1, 1024 / max(size)))))
  )
  if (!is.character(said) || anyNA(said) || !any(grepl("\\S", said))) {
    engine_failure("bad_answer", "The engine gave no words.")
  }

  trimws(gsub("[[:space:][:cntrl:]]+", " ", said[grepl("\\S", said)]))
}

# Puts prompts into the text of suite.yml.
write_prompts <- function(folder, own, at, prompts) {
  lines <- own$text
  wanted <- own$value
  # From the last case to the first, so that line numbers stay valid.
  for (k in order(at, decreasing = TRUE)) {
    lines <- put_phrases(lines, own$written[[at[k]]], at[k], prompts[[k]])
    wanted$cases[[at[k]]]$prompt <- prompts[[k]]
  }

  write_suite(folder, lines, wanted)
}
