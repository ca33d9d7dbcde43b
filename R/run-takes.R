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
#'   `seconds`, `cost`, `failure`, `message`. Invisibly.
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
  began <- Sys.time()
  failed <- 0
  for (i in seq_along(todo)) {
    state <- make_take(store, trial, takes[todo[i], ], inputs)
    failed <- failed + (state != "made")
    if (!is.null(progress)) {
      progress(done = i, total = length(todo), failed = failed, seconds = as.numeric(Sys.time() - began, units = "secs"))
    }
  }
  invisible(list_takes(store))
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
  request <- new_request(trial, pipeline, engine, take, inputs)
  sent <- describe_request(request, pipeline, take, inputs)
  began <- proc.time()[["elapsed"]]
  made <- tryCatch(
    verify_result(engine$make(request), request),
    sprenn_failure = identity,
    error = identity
  )
  seconds <- proc.time()[["elapsed"]] - began
  if (inherits(made, "condition")) {
    failure <- sub("^sprenn_failure_", "", grep("^sprenn_failure_", class(made), value = TRUE))
    if (length(failure) == 0) failure <- "engine_error"
    record_failed(store, take$take, failure, conditionMessage(made), sent, seconds)
    return(if (failure == "refused") "refused" else "failed")
  }
  picture <- write_picture(store, made$bytes)
  record_made(store, take$take, picture, list(
    width = made$width, height = made$height, bytes = length(made$bytes), seconds = seconds,
    cost = made$cost, request = sent, answer = to_json(c(list(seed = made$seed), made$says))
  ))
  "made"
}

# Everything that an engine is told, nothing left to guess. Pictures that were
# read once are kept in `inputs`.
new_request <- function(trial, pipeline, engine, take, inputs) {
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
  structure(list(
    prompt = tibble::tibble(
      say = vapply(case$prompt, `[[`, "", "say"), weight = as.numeric(vapply(case$prompt, `[[`, 0, "weight"))
    ),
    negative = taken("negative", case$negative) %||% character(),
    reference = if (length(prepared$references)) prepared$references[[1]], references = prepared$references,
    reference_weights = vapply(case$references, `[[`, 0, "weight"),
    looks = looks %||% list(), look_weight = case$look_weight,
    guides = prepared$guides[setdiff(names(prepared$guides), dropped)],
    mask = taken("mask", prepared$mask), context = taken("mask", prepared$context), grow = case$grow,
    hold = pipeline$hold, native_hold = to_native_hold(pipeline$hold, about),
    checkpoint = pipeline$checkpoint, add_ons = pipeline$add_ons[[1]], settings = pipeline$settings[[1]],
    size = size, seed = take$seed, dropped = dropped
  ), class = "sprenn_request")
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

# What came back counts only if it is a picture, of the size asked for, with
# something in it.
verify_result <- function(result, request) {
  if (!inherits(result, "sprenn_take_result")) {
    engine_failure("bad_answer", paste0("The engine gave back an object of class ", quoted(class(result)[1]), " and not a take_result()."))
  }
  picture <- result$picture
  if (is.raw(picture)) {
    facts <- picture_facts(picture)
    if (is.null(facts)) engine_failure("bad_answer", "What came back is no PNG, JPEG or WebP picture.")
    pixels <- tryCatch(decode_picture(picture), error = function(e) {
      engine_failure("bad_answer", paste0("The picture that came back is damaged (", one_line(e), ")."))
    })
    bytes <- picture
  } else {
    said <- checkmate::check_array(picture, mode = "numeric", d = 3, any.missing = FALSE)
    if (!isTRUE(said)) engine_failure("bad_answer", paste0("The picture that came back is no array of numbers: ", said, "."))
    if (!dim(picture)[3] %in% 1:4 || !all(is.finite(picture))) engine_failure("bad_answer", "The picture that came back has no 1 to 4 channels of finite values.")
    ends <- range(picture)
    pixels <- three_channels(if (ends[1] < 0 || ends[2] > 1) pmin(pmax(picture, 0), 1) else picture)
    bytes <- png::writePNG(pixels)
  }
  size <- dim(pixels)[2:1]
  if (!all(size == request$size)) {
    engine_failure("bad_answer", paste0(
      "The picture that came back is ", size[1], " x ", size[2], " and not ", request$size[1], " x ", request$size[2], "."
    ))
  }
  if (diff(range(pixels)) < 1 / 255) engine_failure("bad_answer", "The picture that came back is all one colour.")
  list(
    bytes = bytes, width = size[1], height = size[2], says = result$says,
    cost = as.numeric(result$cost %||% NA), seed = result$seed
  )
}
