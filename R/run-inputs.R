#' List what engines are given
#'
#' Lists, for every case and every pipeline that meets it, what the engine is given: the case's
#' inputs, as the pipeline changes them and as far as the engine takes them. Nothing is made.
#'
#' @inheritParams plan_run
#' @return A data frame with a row for every case and step: `case`, `pipeline`, `step` (1 for the
#'   first), `size` (what it works at, `width x height` in pixels, and how far it enlarges),
#'   `reference`, `look`, `guides` (with weights and releases), `mask`, `prompt` and `negative`,
#'   all as text and empty where there is none; `changed`, what the pipeline changes in the case;
#'   and `left_out`, what the engine does not take or the case does not have. The last two are
#'   empty where there is nothing to say.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "inputs-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' list_inputs(folder)[, c("case", "pipeline", "size", "look", "guides")]
#' unlink(folder, recursive = TRUE)
list_inputs <- function(trial) {
  trial <- as_trial(trial)
  steps <- all_steps(trial$lineup)
  steps <- steps[order(match(owner_of(steps), trial$lineup$pipelines$pipeline), steps$stage), ]
  rows <- lapply(trial$suite$cases, function(case) {
    mine <- which(vapply(steps$jobs, function(jobs) case$job %in% jobs, NA))
    do.call(rbind, lapply(mine, function(i) inputs_row(case, steps[i, ], trial)))
  })
  do.call(rbind, rows)
}

# The pipeline that a step belongs to.
owner_of <- function(steps) sub(":[0-9]+$", "", steps$pipeline)

inputs_row <- function(case, step, trial) {
  about <- trial$lineup$engines[[step$engine]]$about
  gives <- step$gives[[1]]
  given <- given_case(case, gives, step$stage)
  dropped <- setdiff(step_inputs(given, step$stage), about$takes)
  shown <- reference_words(given, step$stage)
  size <- given_size(gives, case_frame(case, trial$suite), about$checkpoints[[step$checkpoint]])
  new_table(
    case = case$id,
    pipeline = owner_of(step),
    step = step$stage,
    size = paste0(
      paste(size, collapse = " x "),
      if (!is.null(gives$enlarge)) paste0(", enlarged ", gives$enlarge, " times")
    ),
    reference = shown,
    look = if ("look" %in% dropped) "" else look_words(given),
    guides = guide_words(given$guides[setdiff(names(given$guides), dropped)]),
    mask = if ("mask" %in% dropped) "" else mask_words(given),
    prompt = said_words(given$prompt, about$emphasis != "none"),
    negative = if ("negative" %in% dropped) "" else listed(given$negative),
    changed = changes_words(gives),
    left_out = listed(c(input_words[dropped], given$lacking))
  )
}

with_weight <- function(words, weight) {
  ifelse(weight == 1, words, paste0(words, " (", format_value(weight), ")"))
}

reference_words <- function(case, stage) {
  weights <- vapply(case$references, `[[`, 0, "weight")
  own <- if (length(weights) == 1) {
    with_weight("the case's", weights)
  } else if (length(weights)) {
    paste0("the case's ", length(weights), " (", listed(format_value(weights)), ")")
  }
  if (stage == 1) {
    return(own %||% "")
  }

  before <- paste("step", stage - 1)
  switch(case$reference_from %||% "before",
    none = "",
    both = paste(before, "and", own),
    before
  )
}

look_words <- function(case) {
  shown <- c(
    if (!is.na(case$look) && !identical(case$look_from, "reference")) case$look,
    if (shows_reference_as_look(case)) "the reference"
  )
  if (length(shown)) with_weight(paste(shown, collapse = " and "), case$look_weight) else ""
}

guide_words <- function(guides) {
  each <- vapply(
    names(guides),
    function(kind) {
      guide <- guides[[kind]]
      paste0(
        kind, " ", format_value(guide$weight),
        if (guide$release < 1) paste(" until", format_value(guide$release))
      )
    },
    ""
  )
  listed(each)
}

mask_words <- function(case) {
  if (!"mask" %in% inputs_of(case)) {
    return("")
  }

  mask <- case$mask
  fill <- case$mask_fill %||% "original"
  listed(c(
    if (is.null(mask)) "the added canvas" else paste("feather", mask$feather),
    if (!is.null(mask) && !is.na(mask$padding)) paste("padding", mask$padding),
    if (fill != "original") paste("filled with", fill),
    if (identical(case$mask_show, "part")) "shown by itself"
  ))
}

said_words <- function(phrases, emphasis) {
  says <- vapply(phrases, `[[`, "", "say")
  weights <- if (emphasis) vapply(phrases, `[[`, 0, "weight") else rep(1, length(says))
  listed(as.character(with_weight(says, weights)))
}
