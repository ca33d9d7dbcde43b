#' Export a run
#'
#' Writes a run in open formats.
#'
#' @param trial A trial's folder, or what [read_trial()] returned.
#' @param run The run's name.
#' @param as What to write:
#'   - `csv`: a folder with `takes.csv` (one row a take, every measure a column), `scores.csv`
#'     (one row a score), `pipelines.csv`, `ballots.csv` (what people said in viewings; RFC 4180,
#'     UTF-8), and `csv-metadata.json`, which describes the columns (W3C CSV on the Web);
#'   - `parquet`: a folder with the same tables as Parquet. In both, text that a spreadsheet would
#'     take for a formula begins with an apostrophe;
#'   - `pictures`: a folder with every picture under a readable name, `PIPELINE/CASE-SEED.png`,
#'     with its recipe inside as XMP ([read_recipe()]), or in a file beside it if its format can't
#'     hold one;
#'   - `crate`: one zip with everything, including the trial, as a Research Object Crate (RO-Crate
#'     1.1), which describes in JSON-LD how every picture was made.
#' @param file The folder, or for `crate` the zip. `NULL` names it after suite and run, in the
#'   working folder. Existing files are replaced.
#' @param licence For `crate`: the address of the licence it is given under.
#' @param progress A function called with `done`, `total`, `failed` and `seconds`,
#'   or `NULL`.
#' @return A list of class `sprenn_export`, invisibly: `path`, the folder or file, and `pictures`,
#'   how many were written.
#' @section Errors: `sprenn_error_run` if there is no such run; `sprenn_error_store` if a picture
#'   is gone or altered; `sprenn_error_file` if something can't be written. A zip is complete or
#'   not written at all.
#' @family exports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "export-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' run_trial(trial)
#' list.files(export_run(trial, as = "csv", file = tempfile())$path)
#' unlink(folder, recursive = TRUE)
export_run <- function(
  trial,
  run = "main",
  as = "crate",
  file = NULL,
  licence = NULL,
  progress = NULL
) {
  check_arguments(
    as = checkmate::check_choice(as, c("csv", "parquet", "pictures", "crate")),
    file = checkmate::check_string(file, min.chars = 1, null.ok = TRUE),
    licence = if (is.null(licence) ||
      (as == "crate" && is_text(licence) && grepl("^https?://[^[:space:]]+$", licence))) {
      TRUE
    } else {
      "must be an address (https://...), and goes with `crate`"
    },
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  file <- file %||% paste0(
    trial$suite$suite, "-", run,
    if (as == "crate") ".zip" else paste0("-", as)
  )
  if (as == "crate") {
    if (dir.exists(file)) {
      stop_sprenn("file", c(paste0(file, " is a folder."), i = "A crate is one zip."))
    }

    count <- write_crate(trial, store, file, licence, progress)
    return(new_export(file, count))
  }

  if (utils::file_test("-f", file)) {
    stop_sprenn(
      "file",
      c(paste0(file, " is a file."), i = "Tables and pictures go into a folder.")
    )
  }

  count <- write_folder(file, function(building) {
    switch(as,
      csv = write_csvs(store, building),
      parquet = write_parquets(store, building),
      pictures = nrow(write_pictures(store, building, progress))
    )
  })
  new_export(file, if (as == "pictures") count else 0L)
}

new_export <- function(path, pictures) {
  invisible(structure(list(path = path, pictures = pictures), class = "sprenn_export"))
}

#' @export
print.sprenn_export <- function(x, ...) {
  cat("<export>", x$path, "\n")
  invisible(x)
}

make_folder <- function(folder) {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  if (!dir.exists(folder)) {
    stop_sprenn("file", c(paste0("Can't make the folder ", folder, ".")))
  }
}

# The tables as CSV, and what their columns are.
write_csvs <- function(store, folder) {
  for (name in exported_tables) {
    # RFC 4180 ends lines so.
    lines <- paste0(csv_lines(as_cells(read_exported(store, name)), quote_texts = TRUE), "\r")
    write_lines(lines, file.path(folder, paste0(name, ".csv")))
  }

  own <- own_measures_in(store)
  described <- lapply(exported_tables, function(name) {
    columns <- exported_columns(name, own)
    list(
      url = paste0(name, ".csv"),
      tableSchema = list(
        columns = lapply(seq_len(nrow(columns)), function(i) {
          list(
            name = columns$column[i],
            titles = columns$column[i],
            datatype = columns$type[i],
            "dc:description" = columns$doc[i]
          )
        })
      )
    )
  })
  write_json(
    list("@context" = "http://www.w3.org/ns/csvw", tables = described),
    file.path(folder, "csv-metadata.json")
  )
}

write_json <- function(value, file) {
  write_bytes(charToRaw(enc2utf8(paste0(jsonlite::prettify(to_json(value), 1), "\n"))), file)
}

write_parquets <- function(store, folder) {
  for (name in exported_tables) {
    cells <- as_cells(read_exported(store, name))
    write_outputs(file.path(folder, paste0(name, ".parquet")), function(part) {
      nanoparquet::write_parquet(cells, part)
      ends_whole(part)
    })
  }
}

# Every picture that was made, with its recipe. Returns the takes with `path`, where
# each is in the folder.
write_pictures <- function(store, folder, progress = NULL) {
  takes <- read_takes(store)
  made <- takes[takes$state == "made", ]
  made$path <- picture_names(made)
  facts <- get_facts(store)
  pipelines <- read_pipelines(store)
  began <- clock()
  for (i in seq_len(nrow(made))) {
    bytes <- take_bytes(store, made[i, ])
    path <- file.path(folder, made$path[i])
    make_folder(dirname(path))
    recipe <- take_recipe(store, made[i, ], takes, facts, pipelines)
    words <- paste0(
      "Made by ", made$pipeline[i], " for ", made$case[i],
      ", seed ", made$seed[i], "."
    )
    whole <- embed_recipe(bytes, recipe, words)
    write_bytes(whole %||% bytes, path)
    if (is.null(whole)) {
      write_bytes(charToRaw(enc2utf8(recipe_packet(recipe, words))), paste0(path, ".xmp"))
    }

    if (!is.null(progress)) {
      progress(done = i, total = nrow(made), failed = 0, seconds = clock() - began)
    }
  }

  made
}

# A readable path for each picture: its pipeline as a folder, then case, seed and control.
# Characters that file systems refuse become dashes, and duplicates get a number. Full stops at
# the start could hide a file, or lead out of the folder.
picture_names <- function(takes) {
  plain <- function(text) {
    text <- gsub("[^A-Za-z0-9_.=,-]+", "-", text)
    sub("^[.]+", "-", gsub("-+", "-", text))
  }
  ending <- tools::file_ext(takes$file)
  name <- file.path(
    plain(takes$pipeline),
    paste0(
      plain(takes$case), "-", takes$seed,
      ifelse(is.na(takes$control), "", paste0("-", takes$control))
    )
  )
  repeated <- stats::ave(seq_along(name), tolower(name), FUN = seq_along)
  paste0(
    name, ifelse(repeated > 1, paste0("--", repeated), ""),
    if (length(ending)) ".", ending
  )
}
