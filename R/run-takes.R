#' Make the takes of a run
#'
#' Makes every planned take that has not been made yet and keeps it at once: the
#' picture as a file named by the SHA-256 of its bytes, what was asked and
#' answered in the run's SQLite file beside it. A take that fails is recorded
#' with the reason and the rest goes on. Running again makes nothing twice.
#'
#' @param trial A trial's folder, or what [read_trial()] returned.
#' @param run The run's name: a folder under `runs/`.
#' @param retry Whether to try failed takes again. Refused ones are not: a
#'   refusal is an outcome.
#' @param progress A function called with `done`, `total`, `failed` and
#'   `seconds` after every take, or `NULL`.
#' @return A tibble with one row a take: `take`, `pipeline`, `case`, `seed`,
#'   `state` (`made`, `failed`, `refused`, `planned`), `path`, `sha256`,
#'   `seconds`, `cost`, `failure`, `message`. Invisibly. Its attribute `by_hand`
#'   holds for every engine of the kind `folder` its `checklist` (a file) and what
#'   was `found` there: a data frame of `file`, `state` (`taken in`, `not taken
#'   in`, `missing`, `extra`, `changed`) and `why`.
#' @section Errors: `sprenn_error_run` when the suite has changed since the run
#'   was begun; `sprenn_error_store` when a picture can't be written.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "run-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)[, c("pipeline", "case", "seed", "state")]
#' unlink(folder, recursive = TRUE)
run_trial <- function(trial, run = "main", retry = FALSE, progress = NULL) {
  check_arguments(
    retry = checkmate::check_flag(retry),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  plan <- plan_run(trial)
  store <- open_store(trial$folder, run, create = TRUE)
  on.exit(close_store(store))
  record_plan(store, trial, plan)
  takes <- read_takes(store)
  todo <- which(takes$state %in% c("planned", if (retry) "failed") | (takes$state == "made" & !picture_is_there(store, takes)))
  todo <- todo[takes$take[todo] %in% plan$take]
  inputs <- new.env()
  engine_of <- stats::setNames(trial$lineup$pipelines$engine, trial$lineup$pipelines$pipeline)
  by_hand <- Filter(function(engine) engine$kind == "folder", trial$lineup$engines)
  lists <- lapply(stats::setNames(nm = names(by_hand)), function(name) {
    pipelines <- trial$lineup$pipelines
    own <- takes[engine_of[takes$pipeline] %in% name, ]
    # What is all there needs no list.
    if (any(own$state != "made")) write_checklist(by_hand[[name]], own, function(take) request_for(trial, pipelines[pipelines$pipeline == take$pipeline, ], by_hand[[name]], take, inputs))
  })
  began <- Sys.time()
  failed <- 0
  parked <- character()
  for (i in seq_along(todo)) {
    engine <- engine_of[[takes$pipeline[todo[i]]]]
    # What needs a person stops this engine, and not the others.
    if (!engine %in% parked) {
      state <- make_take(store, trial, takes[todo[i], ], inputs)
      if (state == "out_of_credit") parked <- c(parked, engine)
      failed <- failed + !state %in% c("made", "awaited")
    }
    if (!is.null(progress)) {
      progress(done = i, total = length(todo), failed = failed, seconds = as.numeric(Sys.time() - began, units = "secs"))
    }
  }
  made <- read_takes(store)
  reports <- lapply(stats::setNames(nm = names(by_hand)), function(name) {
    list(checklist = lists[[name]], found = report_folder(by_hand[[name]], made[engine_of[made$pipeline] %in% name, ]))
  })
  invisible(structure(list_takes(store), by_hand = reports))
}

picture_is_there <- function(store, takes) {
  !is.na(takes$file) & file.exists(take_path(store, takes$file)) &
    file.size(take_path(store, takes$file)) == takes$bytes
}

# The takes as a person wants them: with the whole path of every picture.
list_takes <- function(store) {
  takes <- read_takes(store)
  takes$path <- ifelse(is.na(takes$file), NA_character_, take_path(store, takes$file))
  takes[c("take", "pipeline", "case", "seed", "state", "path", "sha256", "seconds", "cost", "failure", "message")]
}

make_take <- function(store, trial, take, inputs) {
  pipeline <- trial$lineup$pipelines[trial$lineup$pipelines$pipeline == take$pipeline, ]
  engine <- trial$lineup$engines[[pipeline$engine]]
  request <- request_for(trial, pipeline, engine, take, inputs)
  # Another run of the same takes is made anew, not given what this one got.
  request$key <- paste0(substr(hash_of(list(get_facts(store)$key, take$take)), 1, 20), "-", take$attempt)
  sent <- describe_request(request, pipeline, take, inputs)
  made <- tryCatch(make_patiently(engine, request, function(made) stop_for_twin(store, take, engine, made)), sprenn_failure = identity)
  if (inherits(made, "condition")) {
    record_failed(store, take$take, made, sent)
    return(made$kind)
  }
  picture <- write_picture(store, made$bytes)
  record_made(store, take$take, picture, list(
    width = made$width, height = made$height, bytes = length(made$bytes), seconds = made$seconds,
    cost = made$cost, request = sent, answer = to_json(c(list(seed = made$seed, waited = made$waited), made$says))
  ))
  "made"
}

# What may pass by itself is tried again, under the same key, so that it is not
# paid again; longer after every try, and for at least as long as the engine asks.
make_patiently <- function(engine, request, check = function(made) made, tries = 4, longest = 60) {
  spent <- 0
  for (try in seq_len(tries)) {
    made <- tryCatch(check(make_picture(engine, request)), sprenn_failure = identity)
    # Only our own contract promises that a key is paid once.
    if (engine$kind != "http") {
      spent <- spent + ifelse(is.na(made$cost), 0, made$cost)
      if (spent > 0) made$cost <- spent
    }
    if (!inherits(made, "condition")) {
      return(made)
    }
    wait <- made$retry_after %||% (0.25 * 2^try)
    if (!made$kind %in% passing_failures || try == tries || wait > longest) stop(made)
    Sys.sleep(wait)
  }
}

# No two cases give the same picture to the last byte: a server has delivered it
# for the wrong one.
stop_for_twin <- function(store, take, engine, made) {
  if (!engine$kind %in% c("http", "inference")) {
    return(made)
  }
  twin <- DBI::dbGetQuery(store$db, "SELECT case_id, seed FROM takes WHERE sha256 = ? AND case_id <> ? LIMIT 1", params = list(sha256_of(made$bytes), take$case))
  if (nrow(twin)) {
    failure <- tryCatch(engine_failure("bad_answer", paste0("The picture that came back is the one for ", twin$case_id, ", seed ", twin$seed, ".")), sprenn_failure = identity)
    failure[c("seconds", "cost")] <- made[c("seconds", "cost")]
    stop(failure)
  }
  made
}

# The request of one take. Pictures that were read once are kept in `inputs`.
request_for <- function(trial, pipeline, engine, take, inputs) {
  case <- Find(function(case) case$id == take$case, trial$suite$cases)
  about <- engine$about
  size <- working_size(case_frame(case, trial$suite), about$checkpoints[[pipeline$checkpoint]])
  prepared <- keep(inputs, paste(c("inputs", case$id, size), collapse = " "), prepare_inputs(case, trial$suite, size))
  # What the engine can't take was either refused when the trial was read, or is
  # to be left out.
  dropped <- setdiff(inputs_of(case), about$takes)
  taken <- function(input, thing) if (!input %in% dropped) thing
  looks <- taken("look", if (!is.na(case$look)) {
    keep(inputs, paste("look", case$look), lapply(unname(trial$suite$looks[[case$look]]), read_picture))
  })
  request <- new_request(engine, list(
    prompt = tibble::tibble(
      say = vapply(case$prompt, `[[`, "", "say"), weight = as.numeric(vapply(case$prompt, `[[`, 0, "weight"))
    ),
    negative = taken("negative", case$negative) %||% character(),
    references = prepared$references, reference_weights = vapply(case$references, `[[`, 0, "weight"),
    looks = looks %||% list(), look_weight = case$look_weight,
    guides = prepared$guides[setdiff(names(prepared$guides), dropped)],
    mask = taken("mask", prepared$mask), context = taken("mask", prepared$context), grow = case$grow,
    hold = pipeline$hold, checkpoint = pipeline$checkpoint, add_ons = pipeline$add_ons[[1]], settings = pipeline$settings[[1]],
    size = size, seed = take$seed, notes = if (length(dropped)) paste0("left out: ", input_words[dropped])
  ))
  request$key <- paste0(take$take, "-", take$attempt)
  request$label <- paste0(take$pipeline, ", ", take$case, ", seed ", take$seed)
  request$names <- list(pipeline = take$pipeline, case = take$case, seed = take$seed, take = take$take)
  request
}

keep <- function(where, name, code) {
  if (is.null(where[[name]])) assign(name, code, where)
  where[[name]]
}

# The request as it is kept with the take: pictures by their hash.
describe_request <- function(request, pipeline, take, inputs) {
  plain <- unclass(request)
  hashes <- function(what, pictures) {
    keep(inputs, paste(c("hash of", what, names(pictures), take$case, request$size), collapse = " "), as.list(vapply(pictures, pixel_hash, "")))
  }
  plain$reference <- NULL
  plain$references <- hashes("references", request$references)
  plain$looks <- hashes("looks", request$looks)
  plain$mask <- hashes("mask", if (!is.null(request$mask)) list(array(request$mask, c(dim(request$mask), 3))))
  pictures <- hashes("guides", lapply(request$guides, `[[`, "picture"))
  plain$guides <- lapply(names(request$guides), function(kind) {
    c(list(kind = kind, picture = pictures[[kind]]), request$guides[[kind]][c("weight", "release")])
  })
  to_json(c(list(pipeline = pipeline$pipeline, engine = pipeline$engine), plain))
}
