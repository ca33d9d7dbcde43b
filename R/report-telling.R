# Why not the others: for each other pipeline, in a picture, what it mostly loses by.

# More are shown on demand.
losses_at_once <- 12

telling_section <- function(verdict) {
  if (verdict$state %in% leaderless || nrow(verdict$pipelines) < 2) {
    return(NULL)
  }

  told <- telling_losses(
    verdict$table, verdict$pipelines$pipeline, verdict$best, verdict$brief$weights
  )
  if (is.null(told)) {
    return(NULL)
  }

  tag <- htmltools::tags
  cards <- lapply(seq_len(nrow(told)), function(i) telling_card(told[i, ], verdict))
  at_once <- seq_along(cards) <= losses_at_once
  htmltools::tagList(
    tag$h3("Why not the others"),
    tag$p(
      class = "soft",
      paste0(
        "What each loses by most, on average over the takes that both have, with a take that is ",
        "typical of it (left) beside that of ", verdict$best, " (right). Click a picture to open ",
        "both."
      )
    ),
    tag$ul(class = "losses", cards[at_once]),
    if (!all(at_once)) {
      tag$details(
        tag$summary(paste(sum(!at_once), "more")),
        tag$ul(class = "losses", cards[!at_once])
      )
    }
  )
}

telling_card <- function(told, verdict) {
  tag <- htmltools::tags
  slot <- function(pipeline, other) {
    tag$button(
      type = "button",
      class = "opens slot",
      `data-pipeline` = pipeline,
      `data-case` = told$case,
      `data-seed` = told$seed,
      `data-with` = other,
      `aria-label` = paste0("open the takes by ", pipeline, " and ", other, " of ", told$case)
    )
  }
  colour <- pipeline_colours(verdict$recipes)[[told$pipeline]]
  tag$li(
    tag$p(class = "by", swatch(colour), tag$b(breakable(told$pipeline))),
    tag$div(class = "pair", slot(told$pipeline, verdict$best), slot(verdict$best, told$pipeline)),
    tag$p(loss_words(told, verdict))
  )
}

# What a pipeline loses by, and how the take that is shown has it.
loss_words <- function(told, verdict) {
  take <- verdict$table[verdict$table$pipeline == told$pipeline &
    verdict$table$case == told$case &
    verdict$table$seed == told$seed, ][1, ]
  if (told$reason == "none") {
    return(paste0(
      "It loses nothing on average: worth ", two(told$mean), " against ", two(told$best_mean), "."
    ))
  }

  if (told$reason == "keepers") {
    return(paste0(
      "Fewer keepers: ", percent(told$mean), " against ", percent(told$best_mean), ". Here: ",
      unusable_words(take, verdict$brief), "."
    ))
  }

  paste0(
    "Its ", told$reason, " is lower: ", two(told$mean), " against ", two(told$best_mean),
    ". Here: ", two(told$own), " against ", two(told$against), "."
  )
}

# Why a take can't be used: its fault, or the floors that it does not clear.
unusable_words <- function(take, brief) {
  if (take$state != "made") {
    why <- if (is.na(take$message)) gsub("_", " ", take$failure) else take$message
    return(paste0(take$state, if (!is.na(why) && why != take$state) paste0(" (", why, ")")))
  }

  floors <- brief$floors[!is.na(brief$floors)]
  values <- unlist(take[names(floors)])
  below <- which(values < floors)
  cleared <- length(below) == 0
  notes <- strsplit(cell_notes(take), ", ", fixed = TRUE)[[1]]
  listed(c(
    setdiff(notes, "below floor"),
    if (!cleared) {
      paste0(
        names(floors)[below], " ", two(values[below]), ", below the floor of ", two(floors[below])
      )
    }
  ))
}
