# The commands that export a run, read the recipe of a picture, and tidy up.

export_commands <- function() {
  run <- run_option()
  list(
    export = new_command(
      "Export a run as tables, named pictures or one crate.",
      "TRIAL",
      list(
        run,
        new_option(
          "as",
          "character",
          "crate",
          "csv, parquet, pictures or crate [%default]",
          "FORMAT"
        ),
        new_option(
          "out",
          "character",
          NULL,
          "the folder, or the crate's zip [named after suite and run]",
          "PATH"
        ),
        new_option(
          "licence",
          "character",
          NULL,
          "with a crate: the address of its licence",
          "ADDRESS"
        ),
        json_option()
      ),
      cli_export,
      examples = c("sprenn export my-trial --as csv", "sprenn export my-trial --out spring.zip")
    ),
    recipe = new_command(
      "Show how a picture was made, or make it again.",
      "PICTURE",
      list(
        json_option("as JSON, with everything"),
        new_option(
          "again",
          "character",
          NULL,
          "a trial in which to make it again, to see whether it comes out the same",
          "TRIAL"
        ),
        new_option("out", "character", NULL, "with --again: where to write the new picture", "FILE")
      ),
      cli_recipe,
      examples = "sprenn recipe mill-11.png --again my-trial",
      note = "With --again, the exit status is 0 if the picture is the same and 1 if not."
    ),
    prune = new_command(
      "List what a run no longer needs, and delete it.",
      "TRIAL",
      list(
        run,
        new_option("yes", "logical", FALSE, "delete what was listed"),
        json_option(),
        wait_option()
      ),
      cli_prune,
      examples = "sprenn prune brackwater --yes",
      note = "Without --yes nothing is changed."
    )
  )
}

cli_export <- function(given) {
  out <- export_run(
    read_shown(given$places, ask = FALSE),
    given$run,
    as = given$as,
    file = given$out,
    licence = given$licence,
    progress = progress_bar("writing")
  )
  count <- out$pictures
  if (given$json) {
    return(tell_json(list(out = out$path, as = given$as, count = count)))
  }

  words <- switch(given$as,
    crate = paste0(
      "is the run as an RO-Crate: the trial, ", count_words(count, "picture"),
      " with their recipes, and the tables"
    ),
    pictures = paste("holds", count_words(count, "picture"), "with their recipes"),
    csv = paste0(
      "holds takes.csv, scores.csv, pipelines.csv, and csv-metadata.json, which says what their ",
      "columns are"
    ),
    "holds takes.parquet, scores.parquet and pipelines.parquet"
  )
  cat(
    strwrap(
      paste0(out$path, if (given$as != "crate" && !grepl("/$", out$path)) "/", " ", words, "."),
      100
    ),
    sep = "\n"
  )
  if (given$as %in% c("crate", "pictures")) {
    cat("`sprenn recipe PICTURE` says how one was made.\n")
  }

  0L
}

cli_recipe <- function(given) {
  recipe <- read_recipe(given$places)
  if (!is.null(given$out) && is.null(given$again)) {
    stop_sprenn("usage", c("--out needs --again TRIAL."))
  }

  if (is.null(given$again)) {
    if (given$json) {
      cat(jsonlite::prettify(to_json(unclass(recipe)), 2))
    } else {
      print(recipe)
    }

    return(0L)
  }

  made <- tryCatch(
    remake_take(given$places, given$again, given$out),
    sprenn_failure = function(e) {
      stop_sprenn("recipe", c("The picture could not be made again.", x = conditionMessage(e)))
    }
  )
  if (given$json) {
    cat(jsonlite::prettify(to_json(unclass(made)), 2))
  } else {
    cat(
      switch(made$same,
        bytes = "The same picture came back: every byte is identical.",
        pixels = "The same picture came back: the file differs, but every pixel is identical.",
        "A different picture came back."
      ),
      "\n",
      sep = ""
    )
    for (note in made$notes) {
      cat(strwrap(note, 100, initial = "  - ", prefix = "    "), sep = "\n")
    }

    if (!is.null(made$file)) {
      cat("It is ", made$file, "\n", sep = "")
    }
  }

  if (made$same == "no") 1L else 0L
}

cli_prune <- function(given) {
  found <- prune_run(
    read_shown(given$places, ask = FALSE),
    given$run,
    yes = given$yes,
    wait = if (given$wait) Inf else 0
  )
  if (given$json) {
    return(tell_json(list(run = given$run, deleted = given$yes, found = found)))
  }

  if (nrow(found) == 0) {
    cat("Run ", given$run, " has nothing to prune.\n", sep = "")
    return(0L)
  }

  shown <- min(10, nrow(found))
  cat(
    text_table(list(
      what = found$kind[seq_len(shown)],
      size = vapply(found$bytes[seq_len(shown)], show_size, ""),
      why = ifelse(
        is.na(found$file) | found$kind == "take",
        found$words,
        paste0(found$file, ": ", found$words)
      )[seq_len(shown)]
    )),
    sep = "\n"
  )
  if (nrow(found) > shown) {
    cat("and", nrow(found) - shown, "more\n")
  }

  cat(
    "\n", if (given$yes) "Deleted: " else "To be deleted: ",
    count_words(nrow(found), "thing"), ", ",
    show_size(sum(found$bytes)), ".\n",
    sep = ""
  )
  if (!given$yes) {
    next_steps(paste("sprenn prune", shell_path(given$places), run_flag(given$run), "--yes"))
  }

  0L
}
