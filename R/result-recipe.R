#' Read how a picture was made
#'
#' An exported picture carries its recipe: the complete request, and the engine. For a picture in
#' a run's own folder, the recipe is in the run's database.
#'
#' @param file A picture that [export_run()] wrote, or one of a run's `takes/`.
#' @return An object of class `sprenn_recipe`, a list: `take`, `pipeline`, `case`, `seed`,
#'   `control` (or `NULL`), `made_at` (UTC), `suite` and `suite_fingerprint`, `sprenn` (the
#'   version that made it), `picture` (`sha256` of its bytes as the engine sent them, `width`,
#'   `height`), `steps` (one for a plain pipeline, several for a chain; each with `take`,
#'   `pipeline`, `engine` and its `version`, `checkpoint`, `hold`, `native_hold`, `settings`,
#'   `add_ons`, and where they are set `gives` and the phrases `drafted`), `request` (of the last
#'   step, pictures by the hash of their pixels) and `answer`.
#'   Printing it shows the recipe in words.
#' @section Errors: `sprenn_error_recipe` if the file is not a picture, or has no recipe.
#' @family exports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "recipe-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' takes <- run_trial(trial, score = FALSE)$takes
#' read_recipe(takes$path[1])
#' unlink(folder, recursive = TRUE)
read_recipe <- function(file) {
  check_arguments(file = checkmate::check_file_exists(file))
  if (file.size(file) > max_bytes) {
    stop_sprenn(
      "recipe",
      c(
        paste0(file, " is not a picture."),
        x = paste0("It has ", show_size(file.size(file)), ".")
      )
    )
  }

  json <- embedded_recipe(read_bytes(file)) %||% recipe_beside(file) %||% recipe_of_file(file)
  recipe <- if (!is.null(json)) tryCatch(read_json_text(json), error = function(e) NULL)
  if (!is_recipe(recipe)) {
    stop_sprenn(
      "recipe",
      c(
        paste0("There is no recipe in ", file, "."),
        i = "Pictures written by `sprenn export`, and those in a run's takes/, have one."
      )
    )
  }

  structure(recipe, class = "sprenn_recipe")
}

is_recipe <- function(recipe) {
  is_keyed(recipe) &&
    is_text(recipe$take) &&
    is.list(recipe$steps) &&
    length(recipe$steps) > 0 &&
    is_keyed(recipe$request)
}

# In a packet of metadata beside the picture.
recipe_beside <- function(file) {
  beside <- paste0(file, ".xmp")
  if (file.exists(beside) && file.size(beside) < 1e6) {
    lines <- readLines(beside, encoding = "UTF-8", warn = FALSE)
    recipe_in_packet(paste(lines, collapse = "\n"))
  }
}

# A picture in a run's own folder is known by its name.
recipe_of_file <- function(file) {
  path <- normalizePath(file, winslash = "/")
  run <- dirname(dirname(dirname(path)))
  if (basename(dirname(dirname(path))) != "takes" ||
    basename(dirname(run)) != "runs" ||
    !basename(run) %in% known_runs(dirname(dirname(run)))) {
    return(NULL)
  }

  store <- open_store(dirname(dirname(run)), basename(run))
  on.exit(close_store(store))
  takes <- read_kept_takes(store)
  at <- which(
    takes$file == file.path(basename(dirname(path)), basename(path)) & takes$state == "made"
  )
  if (length(at)) {
    take_recipe(store, takes[at[1], ], takes)
  }
}

# The recipe of one take as JSON. `takes` are those that its chain may come from.
take_recipe <- function(
  store,
  take,
  takes,
  facts = get_facts(store),
  pipelines = read_pipelines(store)
) {
  chain <- takes[takes$take == take$take, ]
  while (!is.na(chain$parent[1])) {
    chain <- rbind(takes[takes$take == chain$parent[1], ], chain)
  }

  said <- lapply(chain$take, function(id) {
    lapply(read_exchange(store, id), function(json) if (!is.na(json)) read_json_text(json))
  })
  steps <- lapply(seq_len(nrow(chain)), function(k) {
    about <- pipelines[pipelines$pipeline == chain$pipeline[k], ]
    request <- said[[k]]$request
    c(
      list(
        take = chain$take[k],
        pipeline = chain$pipeline[k],
        engine = about$engine,
        version = request$version %||% about$engine_version
      ),
      request[c("checkpoint", "hold", "native_hold", "settings", "add_ons")],
      if (length(request$gives)) request["gives"],
      # What an engine had drafted for the prompt.
      if (length(request$drafted)) request["drafted"]
    )
  })
  last <- said[[length(said)]]
  to_json(c(
    list(
      recipe = 1L,
      sprenn = facts$sprenn_version,
      take = take$take,
      pipeline = take$pipeline,
      case = take$case,
      seed = take$seed
    ),
    if (!is.na(take$control)) list(control = take$control),
    list(
      made_at = take$made_at,
      suite = facts$suite,
      suite_fingerprint = facts$suite_fingerprint,
      picture = list(sha256 = take$sha256, width = take$width, height = take$height),
      steps = steps,
      request = last$request,
      answer = last$answer
    )
  ))
}

#' @export
format.sprenn_recipe <- function(x, ...) {
  request <- x$request
  says <- vapply(
    request$prompt,
    function(phrase) {
      paste0(
        phrase$say,
        if (!isTRUE(phrase$weight == 1)) paste0(" (weight ", format(phrase$weight), ")")
      )
    },
    ""
  )
  shown <- function(values) {
    if (length(values)) {
      paste0(", ", paste(names(values), vapply(values, format, ""), collapse = ", "))
    }
  }

  steps <- vapply(
    x$steps,
    function(step) {
      paste0(
        step$engine, " ", step$version, ", checkpoint ", step$checkpoint,
        if (is_number(step$hold)) paste0(", hold ", format(step$hold)),
        shown(step$settings), shown(step$add_ons), shown(flat_gives(step$gives))
      )
    },
    ""
  )
  inputs <- c(
    if (length(request$references)) count_words(length(request$references), "reference"),
    if (length(request$looks)) count_words(length(request$looks), "look"),
    vapply(request$guides, `[[`, "", "kind"),
    if (!is.null(unlist(request$mask))) "a mask"
  )
  said <- list(
    pipeline = x$pipeline,
    case = x$case,
    seed = x$seed,
    control = x$control,
    by = if (length(steps) == 1) steps else paste0(seq_along(steps), ". ", steps),
    says = if (length(says)) paste(says, collapse = "; ") else "nothing",
    without = if (length(request$negative)) paste(unlist(request$negative), collapse = "; "),
    shows = if (length(inputs)) paste(inputs, collapse = ", ") else "nothing",
    size = paste(unlist(request$size), collapse = " x "),
    note = grep("^control: ", unlist(request$notes), value = TRUE, invert = TRUE),
    made = paste0(x$made_at, ", by Sprenn ", x$sprenn, ", in suite ", x$suite)
  )
  said <- Filter(length, said)
  c(
    paste0("<recipe> ", x$take),
    unlist(
      Map(
        function(name, words) {
          lines <- strwrap(words, 84)
          paste0("  ", formatC(c(name, rep("", length(lines) - 1)), width = -10), lines)
        },
        names(said),
        said
      ),
      use.names = FALSE
    )
  )
}

#' @export
print.sprenn_recipe <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}
