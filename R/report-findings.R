# What judges found in the pictures of a case, as the report's page draws it over them.

# For the reference (`reference`) and each of the made takes (`takes`): `boxes`, with left, top,
# right and bottom (shares of the picture) and a label, and `limbs`, x and y of both ends. NULL
# without a judge that finds things.
found_in_case <- function(case, takes, trial, store) {
  judges <- Filter(finds_things, trial$brief$judges)
  versions <- judged_versions(store)
  judges <- judges[vapply(judges, `[[`, "", "name") %in% names(versions)]
  if (length(judges) == 0) {
    return(NULL)
  }

  subjects <- c(
    if (!is.null(case$reference)) reference_key(case, trial$suite) else "",
    sub("^.*/([0-9a-f]{64})[.].*$", "\\1", takes$file)
  )
  drawn <- rep(list(list(boxes = list(), limbs = list())), length(subjects))
  for (judge in judges) {
    answers <- read_answers_about(store, judge$name, versions[[judge$name]], subjects)
    said <- asking(answers, judge)
    findings <- said(subjects, "")
    for (i in which(lengths(findings) > 0)) {
      drawn[[i]]$boxes <- c(drawn[[i]]$boxes, told_boxes(findings[[i]]))
      drawn[[i]]$limbs <- c(drawn[[i]]$limbs, told_limbs(findings[[i]]$figures))
    }
  }

  list(reference = drawn[[1]], takes = drawn[-1])
}

# The version that each judge was last asked in.
judged_versions <- function(store) {
  asked <- jsonlite::parse_json(get_facts(store)$judges %||% "[]")
  asked <- Filter(function(one) !is.null(one$version), asked)
  stats::setNames(lapply(asked, `[[`, "version"), vapply(asked, `[[`, "", "judge"))
}

told_boxes <- function(finding) {
  boxes <- boxes_found(finding)
  lapply(seq_len(nrow(boxes)), function(i) {
    c(
      lapply(boxes[box_names], function(x) round(x[i], 4)),
      label = boxes$label[i],
      part = boxes$part[i]
    )
  })
}

told_limbs <- function(figures) {
  unlist(
    lapply(figures, function(figure) {
      there <- Filter(function(limb) all(limb %in% names(figure)), limbs)
      lapply(there, function(limb) I(round(unlist(figure[limb], use.names = FALSE), 4)))
    }),
    recursive = FALSE
  )
}

# Pipelines differ in what judges found if their means lie this far apart.
telling_difference <- 0.25
most_shown_apart <- 6

# The statements, those that differ most first.
most_apart <- function(shown) {
  spread <- function(values) {
    if (all(is.na(values))) 0 else diff(range(values, na.rm = TRUE))
  }
  each <- split(shown, paste(shown$judge, shown$statement))
  apart <- vapply(each, function(rows) max(spread(rows$wanted), spread(rows$elsewhere)), 0)
  kept <- utils::head(order(-apart), most_shown_apart)
  unname(each[kept[apart[kept] >= telling_difference]])
}

# As cells of a table, by column; NULL if pipelines differ in nothing.
shown_cells <- function(shown) {
  apart <- most_apart(shown)
  if (length(apart) == 0) {
    return(NULL)
  }

  rows <- do.call(rbind, apart)
  first <- !duplicated(paste(rows$judge, rows$statement))
  list(
    judge = ifelse(first, rows$judge, ""),
    found = ifelse(first, rows$statement, ""),
    pipeline = rows$pipeline,
    "where wanted" = two(rows$wanted),
    elsewhere = two(rows$elsewhere)
  )
}

shown_words <- function(shown) {
  cells <- shown_cells(shown)
  if (!is.null(cells)) {
    c(
      "",
      "What judges found and pipelines differ in: means over takes, from 0 (never) to 1 (always),",
      "where it was wanted and elsewhere. Scores against the reference have their own names.",
      paste0("  ", text_table(cells))
    )
  }
}

# What pipelines differ in, as a part of the page.
shown_part <- function(cells) {
  if (is.null(cells)) {
    return(NULL)
  }

  tag <- htmltools::tags
  rows <- lapply(seq_along(cells$pipeline), function(i) {
    tag$tr(
      lapply(cells[c("judge", "found")], function(column) tag$td(column[i])),
      tag$th(scope = "row", cells$pipeline[i]),
      lapply(cells[c("where wanted", "elsewhere")], function(column) tag$td(column[i]))
    )
  })
  htmltools::tagList(
    tag$h3("What judges found, by pipeline"),
    scroll_table(
      "What judges found, by pipeline",
      paste0(
        "Means over the takes of all cases, from 0 (never) to 1 (always), where it was wanted and ",
        "elsewhere. Scores against the reference have their own names. Only what differs between ",
        "pipelines is listed."
      ),
      names(cells),
      rows
    )
  )
}
