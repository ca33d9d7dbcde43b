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
