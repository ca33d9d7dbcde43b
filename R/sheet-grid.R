# The content of a contact sheet: `columns` (headings with a colour each) and `rows`, each with a
# `case`, a `title`, a `note`, what stands at its side (`reference`, `look`: pixels, or NULL), its
# `frame` and a cell for every column.

sheet_kinds <- c("pipelines", "seeds", "steps", "sweep", "grid", "best", "worst")

shown_takes_of <- list(
  all = function(table) rep(TRUE, nrow(table)),
  keepers = function(table) table$keeper %in% TRUE,
  failed = function(table) table$state %in% c("failed", "refused"),
  flawed = function(table) table$flaws != "" | table$slight != "" | table$missed != ""
)

sheet_grid <- function(trial, verdict, run, by, show, seed, case, pipeline, vary = NULL) {
  table <- if (by == "steps") stepwise_table(trial, verdict, run, pipeline) else verdict$table
  if (!is.null(case)) {
    table <- table[table$case %in% case, ]
  }

  if (by == "seeds") {
    table <- table[table$pipeline == pipeline, ]
  }

  if (!by %in% c("seeds", "best", "worst")) {
    table <- table[table$seed == seed, ]
  }

  recipes <- by_family(verdict$recipes[verdict$recipes$pipeline %in% table$pipeline, ])
  table$shown <- shown_takes_of[[show]](table)
  found <- switch(by,
    pipelines = ranked_pipeline_columns(table, recipes, verdict),
    steps = columns_of(table, table$pipeline, unique(table$pipeline), recipes, verdict),
    seeds = columns_of(table, table$seed, sort(unique(table$seed)), NULL, verdict, "seed "),
    best = ,
    worst = ranked_columns(table, by),
    sweep = swept_columns(table, recipes, vary),
    grid = grid_columns(table, recipes, vary)
  )
  rows <- Filter(Negate(is.null), sheet_rows(found$table, found$columns, trial, run, by))
  if (length(rows) == 0) {
    stop_sprenn(
      "run",
      c(
        "No take matches, so there is nothing to draw.",
        i = "Show all of them, or other cases."
      )
    )
  }

  # A column that has nothing to show is left out.
  full <- Reduce(`|`, lapply(rows, function(row) !vapply(row$cells, is.null, NA)))
  rows <- lapply(rows, function(row) {
    row$cells <- row$cells[full]
    row
  })
  list(columns = found$columns[full, ], rows = rows)
}

# Pipelines by what they are worth, the verdict's first, those of an engine together.
ranked_pipeline_columns <- function(table, recipes, verdict) {
  rank <- match(recipes$pipeline, verdict$pipelines$pipeline)
  rank[is.na(rank)] <- length(rank) + 1L
  first <- stats::ave(rank, recipes$engine, FUN = min)
  recipes <- recipes[order(first, rank), ]
  found <- columns_of(table, table$pipeline, recipes$pipeline, recipes, verdict)
  found$columns$group <- recipes$engine
  found
}

# The column of each take, and the headings.
columns_of <- function(table, of, order, recipes, verdict, prefix = "") {
  colours <- if (is.null(recipes)) {
    rep("#222222", length(order))
  } else {
    family_colours(verdict$recipes)[family_of(verdict$recipes)[match(
      order,
      verdict$recipes$pipeline
    )]]
  }
  table$column <- match(of, order)
  list(
    table = table,
    columns = data.frame(title = paste0(prefix, order), colour = unname(colours))
  )
}

# The takes of each case by what they are worth, most ranks a sheet can hold.
ranked_columns <- function(table, by) {
  table <- table[table$shown & !is.na(table$worth), ]
  sign <- if (by == "best") -1 else 1
  table <- table[order(table$case, sign * table$worth), ]
  table$column <- stats::ave(seq_len(nrow(table)), table$case, FUN = seq_along)
  table <- table[table$column <= 6, ]
  list(
    table = table,
    columns = data.frame(
      title = paste(by, seq_len(max(0, table$column))),
      colour = rep("#222222", max(0, table$column))
    )
  )
}

# A row for each case and line of a sweep, a column for each value.
swept_columns <- function(table, recipes, vary) {
  if (!is.null(vary) && !vary %in% swept_settings(recipes)) {
    return(contrast_columns(table, recipes, vary))
  }

  lines <- lines_along(recipes, vary)
  values <- sort(unique(lines$value))
  on_lines(table, lines, match(lines$value, values), paste(lines$vary[1], format_value(values)))
}

# The takes of pipelines that are in `lines` (with `pipeline` and `line`), each in its column.
on_lines <- function(table, lines, column, titles) {
  table <- table[table$pipeline %in% lines$pipeline, ]
  at <- match(table$pipeline, lines$pipeline)
  table$line <- lines$line[at]
  table$column <- column[at]
  list(table = table, columns = data.frame(title = titles, colour = "#222222"))
}

# The same where the values are no numbers: kinds of guide, wordings, checkpoints.
contrast_columns <- function(table, recipes, vary) {
  found <- find_contrasts(stats::setNames(recipes$set, recipes$pipeline))
  stop_for_no_contrast(found, vary)
  found <- found[found$vary == vary, ]
  # A pipeline stands in its first contrast.
  found <- found[!duplicated(found$pipeline), ]
  first <- found$pipeline[match(found$contrast, found$contrast)]
  lines <- new_table(pipeline = found$pipeline, line = sub("/.*$", "", first))
  values <- unique(found$value)
  titles <- paste(vary, ifelse(nzchar(values), values, "not set"))
  on_lines(table, lines, match(found$value, values), titles)
}

# A tile map: a row for each case and value of the first of two paths, a column for each value of
# the second. `vary` names both, with a comma between them; the first grid if it is NULL.
grid_columns <- function(table, recipes, vary) {
  varied <- lapply(recipes$varied, function(json) {
    Filter(Negate(is.na), as.list(read_json_text(json)))
  })
  names <- vapply(varied, function(own) paste(names(own), collapse = ","), "")
  grids <- unique(names[lengths(varied) == 2 & duplicated(paste(names, recipes$family))])
  paths <- split_words(gsub("[[:space:]]", "", vary %||% grids[1] %|NA|% ""), ",")
  if (!any(vapply(split_each(grids), setequal, NA, paths))) {
    stop_sprenn(
      "run",
      c(
        if (is.null(vary)) {
          "No two settings were varied together, so there is no grid to show."
        } else {
          paste0("No sweep varies ", quoted(vary), " together.")
        },
        i = if (length(grids)) {
          paste("What was varied together:", paste(grids, collapse = "; "))
        } else {
          "sweeps: [{of: ..., grid: {hold: [0.3, 0.6], look.weight: [0.5, 1]}}] varies two."
        }
      )
    )
  }

  at <- which(vapply(varied, function(own) all(paths %in% names(own)), NA))
  value <- lapply(paths, function(path) {
    vapply(varied[at], function(own) fact_words(own[[path]]), "")
  })
  rows <- in_order(value[[1]])
  columns <- in_order(value[[2]])
  several <- length(unique(recipes$family[at])) > 1
  lines <- new_table(
    pipeline = recipes$pipeline[at],
    line = paste0(if (several) paste0(recipes$family[at], ", "), paths[1], " ", value[[1]])
  )
  order <- order(match(value[[1]], rows))
  on_lines(
    table[order(match(table$pipeline, recipes$pipeline[at[order]])), ],
    lines,
    match(value[[2]], columns),
    paste(paths[2], columns)
  )
}

split_each <- function(texts) strsplit(texts, ",", fixed = TRUE)

# A chain's takes and those of the steps that led to them.
stepwise_table <- function(trial, verdict, run, pipeline) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  takes <- takes_for(store, trial, verdict$brief, verdict$recipes$pipeline)
  takes <- takes[chain_rows(takes, pipeline), ]
  if (length(unique(takes$pipeline)) < 2) {
    stop_sprenn(
      "argument",
      c(
        paste0(quoted(pipeline), " has one step only."),
        i = "A chain has `steps:` in lineup.yml."
      )
    )
  }

  add_worth(axes_of(store, trial, verdict$brief, takes), verdict$brief)
}

sheet_rows <- function(table, columns, trial, run, by) {
  cases <- Filter(function(case) case$id %in% table$case, trial$suite$cases)
  rows <- lapply(cases, function(case) {
    own <- table[table$case == case$id, ]
    in_lines <- by %in% c("sweep", "grid")
    groups <- if (in_lines) split(own, factor(own$line, unique(own$line))) else list(own)
    unname(
      lapply(seq_along(groups), function(k) {
        sheet_row(case, groups[[k]], nrow(columns), trial, run, names(groups)[k], k == 1, by)
      })
    )
  })
  unlist(rows, recursive = FALSE)
}

sheet_row <- function(case, own, columns, trial, run, line, first, by) {
  cells <- lapply(seq_len(columns), function(k) {
    one <- own[own$column == k, ]
    if (nrow(one) && one$shown[1]) {
      take_cell(one[1, ], trial, run, by)
    }
  })
  if (all(vapply(cells, is.null, NA))) {
    return(NULL)
  }

  looks <- if (!is.na(case$look)) unlist(trial$suite$looks[[case$look]])
  list(
    case = case$id,
    title = if (is.null(line)) case$id else paste(line, case$id, sep = ", "),
    note = if (!is.na(case$look)) paste("look:", case$look) else "",
    frame = case_frame(case, trial$suite),
    reference = if (first && !is.null(case$reference)) fitted_reference(case, trial$suite),
    look = if (first && length(looks)) read_picture(looks[1]),
    watch = watch_box(case, trial$suite),
    cells = cells
  )
}

take_cell <- function(one, trial, run, by) {
  money <- paste(
    c(
      if (!is.na(one$cost)) small_sum(one$cost),
      if (!is.na(one$seconds)) paste(two(one$seconds), "s")
    ),
    collapse = ", "
  )
  list(
    path = if (one$state == "made") file.path(run_folder(trial$folder, run), "takes", one$file),
    scores = cell_scores(one),
    notes = cell_notes(one),
    keeper = isTRUE(one$keeper),
    cost = if (by %in% c("best", "worst")) paste0(one$pipeline, ", seed ", one$seed) else money
  )
}

# Pictures that are shown and not on this machine come from the run's server.
bring_cells <- function(trial, run, rows) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  cells <- unlist(lapply(rows, `[[`, "cells"), recursive = FALSE)
  paths <- as.character(unlist(lapply(cells, `[[`, "path")))
  bring_pictures(store, file.path(basename(dirname(paths)), basename(paths)))
}

# The first watched region of a case as a box of shares: left, top, right, bottom.
watch_box <- function(case, suite) {
  if (is.null(case$reference) || length(case$watch) == 0) {
    return(NULL)
  }

  box_of_map(case_watch(case, suite, view_size(case_frame(case, suite)))[[1]]$kept)
}

cell_scores <- function(one) {
  if (nrow(one) == 0 || one$state != "made") {
    return("")
  }

  paste(two(c(one$structure, one$adherence, one$style)), collapse = "  ")
}

cell_notes <- function(one) {
  if (nrow(one) == 0) {
    return("not in this run")
  }

  if (one$state != "made") {
    why <- if (!is.na(one$failure)) paste0(": ", gsub("_", " ", one$failure))
    return(paste0(one$state, why))
  }

  faults <- c(one$flaws, if (one$missed != "") paste0("without \"", one$missed, "\""))
  faults <- faults[faults != ""]
  notes <- c(
    faults,
    if (!one$keeper && length(faults) == 0) "below floor",
    if (one$slight != "") paste("minor:", one$slight)
  )
  gsub("_", " ", paste(notes, collapse = ", "))
}
