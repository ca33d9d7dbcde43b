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

# A suite that may lack prompts, or have problems at places of this pattern: its cases as written,
# and with what they take over from others.
read_draftable <- function(folder, besides = NULL) {
  read <- read_trial_file(folder, "suite.yml")
  files <- examine_files(read, folder)
  problems <- bind_problems(read$problems, files$problems, suite_problems(read, files$facts))
  lacking <- grepl("^cases\\[[0-9]+\\]\\.prompt$", problems$place) & problems$found == "nothing"
  if (!is.null(besides)) {
    lacking <- lacking | grepl(besides, problems$place)
  }

  stop_for_problems(
    place_problems(problems[!lacking, ], list(suite.yml = read$text)),
    what = "This suite"
  )
  written <- read_yaml_text(paste(read$text, collapse = "\n"), "suite.yml")$value
  list(cases = read$value$cases, written = written$cases, value = written, text = read$text)
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

# Writes lines in place of suite.yml, but only if they say what is `wanted`: nothing else may have
# changed.
write_suite <- function(folder, lines, wanted) {
  back <- read_yaml_text(paste(lines, collapse = "\n"), "suite.yml")$value
  sorted <- function(suite) {
    suite$cases <- lapply(suite$cases, sort_by_name)
    suite
  }

  if (!identical(sorted(back), sorted(wanted))) {
    stop_sprenn(
      "draft",
      c(
        "Can't put the drafts into suite.yml as it is written.",
        i = "Write its cases one key a line, without anchors, and try again."
      )
    )
  }

  file <- file.path(folder, "suite.yml")
  write_lines(lines, file, kind = "draft", kept = "The file is as it was.")
}

# Puts phrases into the lines of a case under `key`, prompt or negative.
put_phrases <- function(lines, case, i, phrases, key = "prompt") {
  put_value(lines, case, i, unname(phrases), key)
}

# Puts the value of a key into the lines of case number `i`, which is written as `case`.
put_value <- function(lines, case, i, value, key) {
  places <- locate_places(lines)
  first <- places[[paste0("cases[", i, "]")]]
  after <- places[paste0("cases[", i + 1, "]")]
  last <- (if (is.na(after)) length(lines) + 1L else after[[1]]) - 1L
  dash <- sub("^( *- *).*", "\\1", lines[first])
  indent <- strrep(" ", nchar(dash))
  block <- yaml_entry(key, value, indent)
  if (grepl("^ *- *\\{", lines[first])) {
    # A case on one line is opened up.
    case[[key]] <- value
    fresh <- yaml_block(case, indent)
    substr(fresh[1], 1, nchar(dash)) <- dash
    ends <- max(places[startsWith(names(places), paste0("cases[", i, "]"))])
    fresh <- with_comments(fresh, lines[first:ends])
    return(c(lines[seq_len(first - 1)], fresh, lines[-seq_len(ends)]))
  }

  from <- places[paste0("cases[", i, "].", key)]
  if (is.na(from)) {
    return(append(lines, block, last_said(lines, first, last)))
  }

  from <- from[[1]]
  if (from == first) {
    substr(block[1], 1, nchar(dash)) <- dash
  }

  ends <- end_of_value(lines, from, last, indent)
  c(lines[seq_len(from - 1)], with_comments(block, lines[from:ends]), lines[-seq_len(ends)])
}

# The lines of a value with the comments of those that they replace: the first line's behind it, the
# others above, each on a line of its own.
with_comments <- function(block, replaced) {
  # What looks like a comment in a text over several lines is none.
  if (grepl("[|>][+-]? *$", replaced[1])) {
    return(block)
  }

  comments <- comment_of(replaced)
  if (nzchar(comments[1])) {
    block[1] <- paste(block[1], comments[1])
  }

  others <- comments[-1][nzchar(comments[-1])]
  if (length(others) == 0) {
    return(block)
  }

  c(paste0(sub("^( *).*", "\\1", block[1]), others), block)
}

# The comment that each line has, "" without one. A # within quotes begins none.
comment_of <- function(lines) {
  bare <- gsub("\"(\\\\.|[^\"])*\"|'[^']*'", "", lines)
  found <- sub("^(|.*?\\s)(#.*)$", "\\2", bare, perl = TRUE)
  ifelse(grepl("(^|\\s)#", bare), found, "")
}

# The last line of a case that is neither empty nor a comment.
last_said <- function(lines, first, last) {
  while (last > first && grepl("^ *(#|$)", lines[last])) {
    last <- last - 1
  }

  last
}

# The last line of a value that begins at `from`: what is indented deeper, or its list.
end_of_value <- function(lines, from, last, indent) {
  deeper <- paste0("^", indent, "( +\\S|- )")
  while (from < last && grepl(deeper, lines[from + 1])) {
    from <- from + 1
  }

  from
}
