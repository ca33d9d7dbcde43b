# The commands for evidence of what was asked for: probes of pictures.

evidence_commands <- function() {
  list(
    probe = new_command(
      "Try a probe on a picture.", c("PICTURE", "PROBE"),
      list(
        option("mask", "character", NULL, "a picture for the places inside mask and outside mask", "FILE"),
        option("look", "character", NULL, "for nearness: a picture of the look; several with commas between", "FILES"),
        option("trial", "character", NULL, "with --case: take mask, watched regions and looks from there", "TRIAL"),
        option("case", "character", NULL, "with --trial: the case that the picture is a take of", "ID"),
        option("explain", "character", NULL, "draw what counted into a PNG or SVG file", "FILE"),
        option("json", "logical", FALSE, "as JSON")
      ), cli_probe,
      note = paste(
        "Examples: sprenn probe take.png \"colour: teal, where: top third, share: at least 0.3\"",
        "          sprenn probe take.png \"colour: red, patches: between 2 and 4\" --explain why.png", sep = "\n"
      )
    )
  )
}

cli_probe <- function(given) {
  found <- probe_picture(given$places[1], given$places[2], given$mask, split_files(given$look), given$trial, given$case)
  if (given$json) {
    probe <- found$probe
    bound <- replace(probe$bound, is.infinite(probe$bound), NA)
    cat(to_json(Filter(Negate(is.null), list(
      measure = probe$measure, where = probe$where, colour = probe$colour, look = probe$look,
      at_least = null_for_na(bound[1]), at_most = null_for_na(bound[2]), number = found$number, grade = found$grade
    ))), "\n", sep = "")
  } else {
    cat(format(found), sep = "\n")
  }
  if (!is.null(given$explain)) {
    save_figure(ggplot2::autoplot(found), given$explain, 1280, 560)
    if (!given$json) cat("Drawn in ", given$explain, ": what counted.\n", sep = "")
  }
  0L
}
