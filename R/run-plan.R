#' Plan a run
#'
#' Lists every take that a suite and a lineup ask for, controls and the steps of chains included,
#' in the order in which they are made: breadth first over pipelines, the first seed of all cases
#' before the second, controls last, so that a run that is stopped early can still be compared.
#' Steps that several chains share are planned once. Nothing is made or written.
#'
#' @param trial A trial's folder, or what [read_trial()] returned.
#' @param within What the run may use: money as a number, or time as a text such as `"90 s"`, `"30
#'   min"` or `"2 h"`. The plan is then the most informative part that fits: complete comparisons
#'   (one case and seed on every pipeline), new cases before more seeds. `NULL` plans everything.
#' @return A list of class `sprenn_plan`: `takes`, a data frame with one row a take
#'   (`take`, an id made from everything that determines the picture, `pipeline`, `case`,
#'   `seed`, `engine`, `control` (which one, or `NA`), `parent` (the take that it works
#'   on, in a chain, or `NA`), `stage` (1 for the first step), `price` and
#'   `seconds` (as the engine or the lineup states them)); `notes`, warnings about the
#'   comparison, as texts; and `left_out`, how many takes `within` left out. `summary()`
#'   adds up takes, cost and minutes by pipeline.
#' @section Errors: `sprenn_error_argument` if `within` is neither money nor time, or not even one
#'   complete comparison fits.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "plan-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' summary(plan_run(folder))
#' unlink(folder, recursive = TRUE)
plan_run <- function(trial, within = NULL) {
  budget <- read_within(within)
  trial <- as_trial(trial)
  inputs <- case_inputs(trial$suite)
  takes <- plan_takes(trial, inputs)
  kept <- if (is.null(budget)) takes else plan_within(takes, budget, trial$lineup)
  structure(
    list(
      takes = kept,
      notes = plan_notes(trial, inputs),
      left_out = nrow(takes) - nrow(kept)
    ),
    class = "sprenn_plan"
  )
}

# Every take of a trial, in the order of making.
plan_takes <- function(trial, inputs = case_inputs(trial$suite)) {
  cases <- trial$suite$cases
  steps <- all_steps(trial$lineup)
  about <- lapply(steps$engine, function(name) trial$lineup$engines[[name]]$about)
  columns <- list(
    inputs = substr(told_apart(inputs, trial$suite), 1, 12),
    recipe = substr(step_recipes(steps, trial$lineup$engines), 1, 12),
    case = vapply(cases, `[[`, "", "id"),
    seed = trial$suite$seeds,
    price = vapply(seq_len(nrow(steps)), planned_price, 0, steps, trial$lineup$engines),
    call_price = vapply(about, `[[`, 0, "call_price"),
    stage = steps$stage,
    per_call = vapply(trial$lineup$engines[steps$engine], seeds_a_call, 0),
    seconds = as.numeric(vapply(about, function(a) as.numeric(a$seconds), 0))
  )
  plan <- fill_plan(take_grid(trial, steps), steps, columns)
  controls <- lapply(trial$lineup$controls, function(control) {
    if (control == "swapped_prompt") {
      columns$inputs <- swapped_inputs(columns$inputs, trial$suite)
    }

    fill_plan(control_grid(control, trial, steps), steps, columns)
  })
  # A plan may have millions of rows, which are copied only where that changes something.
  if (length(controls)) {
    plan <- do.call(rbind, c(list(plan), controls))
  }

  # Chains that begin alike share their first steps, also with a pipeline that consists of just
  # those; each is made once.
  again <- duplicated(plan$take)
  if (any(again)) plan[!again, ] else plan
}

# What a picture of a step costs: by the price list of a described service, or as its engine says.
planned_price <- function(i, steps, engines) {
  engine <- engines[[steps$engine[i]]]
  wanted <- engine$service$wanted
  step <- list(
    checkpoint = steps$checkpoint[i],
    settings = steps$settings[[i]],
    add_ons = steps$add_ons[[i]],
    hold = steps$hold[i],
    native_hold = steps$native_hold[i]
  )
  listed <- if (!is.null(wanted)) listed_price(wanted$price_list, step)
  listed %||% engine$about$price
}

# Which step meets which case and seed, in the order of making.
take_grid <- function(trial, steps) {
  grid <- expand.grid(
    step = seq_len(nrow(steps)),
    case = seq_along(trial$suite$cases),
    seed = seq_along(trial$suite$seeds),
    KEEP.OUT.ATTRS = FALSE
  )
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")
  wanted <- vapply(steps$jobs, function(own) jobs %in% own, logical(length(jobs)))
  grid$control <- NA_character_
  grid[matrix(wanted, length(jobs))[cbind(grid$case, grid$step)], ]
}

# `grid` is of one control, or of none.
fill_plan <- function(grid, steps, columns) {
  control <- unique(grid$control)
  # The end of a take's id is the same for all steps, and a plan may have millions.
  tails <- outer(columns$inputs, columns$seed, function(inputs, seed) {
    paste0("-", inputs, "-", seed, if (length(control) && !is.na(control)) paste0("-", control))
  })
  tail <- tails[cbind(grid$case, grid$seed)]
  follows <- match(steps$follows, steps$pipeline)[grid$step]
  parent <- rep(NA_character_, nrow(grid))
  later <- which(!is.na(follows))
  parent[later] <- paste0(columns$recipe[follows[later]], tail[later])
  new_table(
    take = paste0(columns$recipe[grid$step], tail),
    pipeline = steps$pipeline[grid$step],
    case = columns$case[grid$case],
    seed = columns$seed[grid$seed],
    engine = steps$engine[grid$step],
    control = grid$control,
    parent = parent,
    stage = steps$stage[grid$step],
    price = columns$price[grid$step] + share_of_call(grid, columns),
    seconds = columns$seconds[grid$step]
  )
}

# What a call costs besides its pictures, shared between the takes that it makes.
share_of_call <- function(grid, columns) {
  if (all(columns$call_price == 0)) {
    return(0)
  }

  price <- columns$call_price[grid$step]
  group <- paste(grid$step, grid$case)
  takes <- as.vector(table(group)[group])
  # A later step of a chain works on another picture for each seed.
  most <- ifelse(columns$stage[grid$step] > 1, 1, columns$per_call[grid$step])
  price * ceiling(takes / most) / takes
}

# Hashes of the inputs of each case.
case_inputs <- function(suite) vapply(suite$cases, case_inputs_hash, "", suite = suite)

# A case that asks for the same as an earlier one, for another job perhaps, has takes of its
# own all the same.
told_apart <- function(inputs, suite) {
  again <- duplicated(inputs)
  ids <- vapply(suite$cases, `[[`, "", "id")
  inputs[again] <- vapply(which(again), function(i) hash_of(list(inputs[i], ids[i])), "")
  inputs
}

# A swapped prompt comes from another case, so that it belongs to what determines the picture.
swapped_inputs <- function(inputs, suite) {
  vapply(
    seq_along(inputs),
    function(i) {
      prompt <- other_prompt(suite$cases[[i]], suite)
      said <- vapply(prompt, function(phrase) paste(phrase$say, phrase$weight), "")
      substr(sha256_of(paste(c(inputs[i], said), collapse = "\n")), 1, 12)
    },
    ""
  )
}

# All of a case that an engine is given, pictures by their pixels.
case_inputs_hash <- function(case, suite) {
  look <- if (is.na(case$look)) character() else suite$looks[[case$look]]
  phrases <- lapply(case$prompt, function(phrase) list(phrase$say, phrase$weight))
  facts <- case_facts(case, suite)
  hash_of(list(
    phrases,
    suite$size,
    facts[names(facts) %in% c("references", "negative", "guides", "mask", "grow")],
    case$look_weight,
    lapply(unname(look), function(path) suite$files[[path]]$hash)
  ))
}

#' @export
summary.sprenn_plan <- function(object, ...) {
  takes <- object$takes
  control <- !is.na(takes$control)
  part <- function(rows, name) {
    new_table(
      pipeline = name,
      engine = rows$engine[1],
      takes = nrow(rows),
      cost = sum(rows$price),
      minutes = sum(rows$seconds) / 60
    )
  }

  split_by <- function(takes, column) {
    split(takes, factor(takes[[column]], unique(takes[[column]])))
  }

  by_pipeline <- split_by(takes[!control, ], "pipeline")
  by_control <- split_by(takes[control, ], "control")
  rows <- c(
    Map(part, by_pipeline, names(by_pipeline)),
    Map(
      function(rows, name) {
        row <- part(rows, paste("control:", gsub("_", " ", name)))
        row$engine <- ""
        row
      },
      by_control,
      names(by_control)
    )
  )
  do.call(rbind, unname(rows))
}

# How long a plan takes, in seconds: engines work beside each other, and each on as
# many calls at a time as it takes. NA where an engine does not say.
plan_seconds <- function(plan, lineup) {
  each <- vapply(split(plan$seconds, plan$engine), sum, 0)
  at_once <- vapply(
    lineup$engines[names(each)],
    function(engine) as.numeric(engine$about$at_once),
    0
  )
  if (length(each)) max(each / at_once) else 0
}

# Reads a budget: a list of `money` or `seconds`.
read_within <- function(within) {
  if (is.null(within)) {
    return(NULL)
  }

  text <- trimws(as.character(within))
  parts <- regmatches(text, regexec("^([0-9]+[.]?[0-9]*) *(s|min|h|d)?$", text))[[1]]
  number <- if (length(within) == 1 && length(parts)) as.numeric(parts[2]) else NA
  check_arguments(
    within = if (isTRUE(number > 0)) {
      TRUE
    } else {
      "must be money as a number, or time such as 90 s, 30 min or 2 h"
    }
  )
  if (nzchar(parts[3])) {
    list(seconds = number * c(s = 1, min = 60, h = 3600, d = 86400)[[parts[3]]])
  } else {
    list(money = number)
  }
}

# The most telling part that a budget buys. The plan's own order is followed in
# whole comparisons: a case and seed on all pipelines, or not at all.
plan_within <- function(plan, budget, lineup) {
  block <- paste(plan$case, plan$seed, plan$control)
  block <- match(block, unique(block))
  used <- if (!is.null(budget$money)) {
    cumsum(vapply(split(plan$price, block), sum, 0))
  } else {
    # Engines work beside each other: the slowest one's time counts.
    at_once <- vapply(
      lineup$engines[plan$engine],
      function(engine) as.numeric(engine$about$at_once),
      0
    )
    each <- tapply(plan$seconds / at_once, list(block, plan$engine), sum, default = 0)
    each[is.na(each)] <- 0
    apply(matrix(apply(each, 2, cumsum), nrow(each)), 1, max)
  }
  fits <- sum(used <= (budget$money %||% budget$seconds) * (1 + 1e-9))
  check_arguments(
    within = if (fits > 0) {
      TRUE
    } else {
      paste0(
        "does not buy one whole comparison: a case and seed on every pipeline takes ",
        if (!is.null(budget$money)) show_money(used[1]) else show_seconds(used[1])
      )
    }
  )
  plan[block <= fits, ]
}
