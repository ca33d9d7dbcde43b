# What engines made of one case, each once, beside its reference.
draw_tries <- function(tries, file, width) {
  panels <- lapply(seq_len(nrow(tries)), function(i) {
    one <- tries[i, ]
    facts <- c(
      paste(format(round(one$seconds, 2)), "s"),
      if (!is.na(one$waited) && one$waited > 0.05) {
        paste(format(round(one$waited, 2)), "s of it in a queue")
      },
      if (!is.na(one$cost)) paste("cost", format(one$cost))
    )
    list(
      title = paste0(one$engine, ", ", one$checkpoint),
      pixels = if (one$state == "made") decode_picture(encoded_picture(one$bytes[[1]])),
      note = if (one$state == "made") {
        paste(facts, collapse = ", ")
      } else {
        paste0(gsub("_", " ", one$state), ": ", one$message)
      }
    )
  })
  card <- list(
    title = paste("One picture from each engine:", attr(tries, "case")),
    subtitle = "The same prompt and seed, hold 0.6 where there is such a knob.",
    panels = c(
      list(list(title = "reference", pixels = attr(tries, "reference"), note = "")),
      panels
    ),
    warnings = list()
  )
  draw_card(card, file, width)
  invisible(file)
}
