# What the stand-ins make of what pipelines give them was built in (R/standin-steering.R): windows
# of guides, the release at which a layout has settled, emphasis that floods, looks that flood, what
# a second step is worth, what several seeds a call save. Is it found out?
# From the root with the package installed:
#   Rscript bench/characters-given.R [FOLDER]
# Makes about 300 takes (two minutes), kept in FOLDER if that is named. Prints what is true beside
# what the run says, and whether that agrees.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(trailingOnly = TRUE)
folder <- if (length(given)) given[1] else tempfile("characters-given-")
dir.create(file.path(folder, "references"), recursive = TRUE, showWarnings = FALSE)
dir.create(file.path(folder, "depth"), showWarnings = FALSE)
source("bench/truths.R")

tiles <- c("windmill", "lighthouse", "tower", "greenhouse")
demo <- new_trial(tempfile("demo-"), demo = TRUE)$folder
looks <- list.files(file.path(demo, "looks"), "^gouache", full.names = TRUE)
invisible(file.copy(looks, folder))

for (i in seq_along(tiles)) {
  drawing <- core("draw_tile")(tiles[i], 288, 192, i)
  core("write_drawing")(drawing, file.path(folder, "references", paste0(tiles[i], ".png")))
  # What is light counts as near: a map of depth only has to be one.
  near <- array(rowMeans(drawing, dims = 2), dim(drawing))
  core("write_drawing")(near, file.path(folder, "depth", paste0(tiles[i], ".png")))
}

writeLines(
  c(
    "suite: characters",
    "seeds: [11, 12]",
    "size: [288, 192]",
    paste0("looks: {gouache: {pictures: [", toString(basename(looks)), "]}}"),
    "cases:",
    sprintf(
      paste0(
        "  - {id: %1$s, job: restyle, reference: references/%1$s.png, look: gouache, prompt: ",
        "[a gouache, a red sky], guides: {depth: {picture: depth/%1$s.png, near: bright}}}"
      ),
      tiles
    )
  ),
  file.path(folder, "suite.yml")
)

among <- function(values) paste0("[", toString(values), "]")
edge_weights <- c(0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.9, 1, 1.2, 1.4, 1.6)
depth_weights <- c(0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1)
releases <- c(0.1, 0.2, 0.3, 0.4, 0.5, 0.7, 0.8, 1)

writeLines(
  c(
    "engines:",
    "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
    "  bracken: {kind: function, call: \"sprenn::standin_bracken\"}",
    "  teasel: {kind: function, call: \"sprenn::standin_teasel\"}",
    "pipelines:",
    "  - {id: bare, engine: yarrow, checkpoint: tide, hold: 0.35, guides: {others: none}}",
    "  - id: edges",
    "    like: bare",
    "    guides: {others: none, edges: {weight: 0.8, release: 0.6}}",
    "  - {id: deep, engine: bracken, hold: 0.6, guides: {depth: {weight: 0.7, release: 1}}}",
    "  - {id: shallow, engine: bracken, hold: 0.6, guides: {others: none}}",
    "  - id: firm",
    "    engine: yarrow",
    "    checkpoint: tide",
    "    hold: 0.6",
    "    guides: {others: none}",
    "    look: 1",
    "    phrases: {2: 1}",
    "  - id: combed",
    "    steps:",
    "      - {engine: yarrow, checkpoint: tide, hold: 0.6, guides: {others: none}}",
    "      - {engine: teasel, hold: 0.9, look: none, guides: {others: none}}",
    "sweeps:",
    paste0("  - {of: edges, vary: guides.edges.weight, over: ", among(edge_weights), "}"),
    paste0("  - {of: edges, vary: guides.edges.release, over: ", among(releases), "}"),
    paste0("  - {of: deep, vary: guides.depth.weight, over: ", among(depth_weights), "}"),
    "  - {of: firm, vary: look.weight, over: [0.3, 0.6, 0.8, 1.2, 1.4, 1.7, 2]}",
    "  - {of: firm, vary: phrases.2.weight, over: [1.3, 1.6, 2, 2.4, 3]}",
    "  - {of: combed, vary: steps.2.skip, over: [true]}"
  ),
  file.path(folder, "lineup.yml")
)

writeLines(
  c(
    "brief: keep the layout, in gouache",
    "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
    "style: reach the look",
    "limits: {takes: 1000}"
  ),
  file.path(folder, "brief.yml")
)

trial <- read_trial(folder)
invisible(run_trial(trial))
scores <- score_run(trial)$scores
verdict <- choose_pipeline(trial)

# Means of a score along a path, with the value.
along <- function(vary, line, score) {
  found <- response_curves(trial, vary = vary)$curves
  found <- found[found$line == line & found$score == score & is.na(found$case), ]
  found[order(found$value), ]
}

# The first value at which so much of a rise is there.
reached <- function(curve, share, from = min(curve$mean)) {
  curve$value[which(curve$mean >= from + share * (max(curve$mean) - from))[1]]
}

standing <- function(pipeline, score) {
  verdict$pipelines[[score]][verdict$pipelines$pipeline == pipeline]
}

flawed <- function(measure, pipelines) {
  own <- scores[scores$measure == measure & scores$pipeline %in% pipelines, ]
  tapply(own$level != "none", own$pipeline, mean)[pipelines]
}

curve <- along("guides.edges.weight", "edges", "structure")
window <- c(reached(curve, 0.1, standing("bare", "structure")), reached(curve, 0.95))
is_so(
  "yarrow's edges: weights that do something",
  "nothing up to 0.3, all from 0.9 on",
  paste("a tenth of the rise at", window[1], "and 95 % at", window[2]),
  window[1] > 0.3 && window[1] <= 0.5 && window[2] >= 0.7 && window[2] <= 1
)

bled <- flawed("guide_bleed", curve$pipeline)
first <- curve$value[which(bled > 0.5)[1]]
is_so(
  "yarrow's edges: weights that bleed",
  "lines come through above 1.2",
  paste("most takes are flawed from", first, "on"),
  first > 1.2 && first <= 1.4
)

curve <- along("guides.depth.weight", "deep", "structure")
window <- c(reached(curve, 0.1, standing("shallow", "structure")), reached(curve, 0.95))
is_so(
  "bracken's depth: weights that do something",
  "nothing up to 0.15, all from 0.6 on",
  paste("a tenth of the rise at", window[1], "and 95 % at", window[2]),
  window[1] > 0.15 && window[1] <= 0.3 && window[2] >= 0.5 && window[2] <= 0.8
)

held <- along("guides.edges.release", "edges", "structure")
styled <- along("guides.edges.release", "edges", "style")
settled <- reached(held, 0.95)
is_so(
  "until when: the layout",
  "it has settled after 0.4 of the process",
  paste("95 % of the structure from a release of", settled, "on"),
  settled >= 0.3 && settled <= 0.5
)

is_so(
  "until when: the texture",
  "a guide that lets go after 0.4 takes up to 0.45 of the manner's strength",
  paste0(
    "style ", two(styled$mean[styled$value == settled]), " at ", settled, ", ",
    two(styled$mean[styled$value == 1]), " at 1"
  ),
  styled$mean[styled$value == settled] > styled$mean[styled$value == 1] + 0.1
)

look <- along("look.weight", "firm", "worth")
best <- look$value[which.max(look$mean)]
is_so(
  "the best weight of a look",
  "its manner grows up to 1.2, and above 1.3 its contents come along",
  paste("highest worth at", best),
  best >= 0.8 && best <= 1.4
)

kept <- along("look.weight", "firm", "structure")
lost <- kept$value[which(kept$mean < max(kept$mean) - 0.1)]
is_so(
  "a look that floods",
  "above 1.3",
  paste("structure falls by more than 0.1 from", c(lost[lost > best], "nowhere")[1], "on"),
  isTRUE(min(lost[lost > best]) >= 1.4 && min(lost[lost > best]) <= 1.7)
)

# A colour that is everywhere: how far all takes have moved towards red.
redness <- function(pipelines) {
  takes <- run_trial(trial)$takes
  vapply(
    pipelines,
    function(pipeline) {
      mean(vapply(
        takes$path[takes$pipeline == pipeline],
        function(path) {
          p <- read_picture(path)
          lower <- p[(dim(p)[1] %/% 2):dim(p)[1], , ]
          mean(lower[, , 1] - (lower[, , 2] + lower[, , 3]) / 2)
        },
        0
      ))
    },
    0
  )
}

curve <- along("phrases.2.weight", "firm", "structure")
red <- redness(curve$pipeline)
flooded <- curve$value[which(red > red[1] + 0.1 * max(1e-9, max(red) - red[1]))[1]]
style <- along("phrases.2.weight", "firm", "style")
is_so(
  "emphasis that floods",
  "a colour stressed by more than 1.7 spreads over all of the picture",
  paste0(
    "the lower half reddens from ", flooded, " on; style ", two(style$mean[1]), " at 1, ",
    two(style$mean[nrow(style)]), " at 3"
  ),
  flooded > 1.6 && flooded <= 2.4 && style$mean[nrow(style)] < style$mean[1] - 0.05
)

second <- list_contrasts(trial, vary = "steps.2")
worth <- second$differences[second$differences$score == "structure", ]
is_so(
  "the second step",
  "teasel at 0.9 sharpens and changes no layout",
  paste0(
    "structure by ", two(worth$difference[1]), " (", two(worth$low[1]), " to ",
    two(worth$high[1]), ")"
  ),
  abs(worth$difference[1]) < 0.05
)

running <- start_standins("quince", per_call = 4, call_price = 0.01)
cost <- function(per_call) {
  served <- tempfile("served-")
  dir.create(served)
  invisible(file.copy(list.files(folder, full.names = TRUE), served, recursive = TRUE))
  unlink(file.path(served, "runs"), recursive = TRUE)
  suite <- readLines(file.path(served, "suite.yml"))
  suite <- sub("seeds: .*", "seeds: [1, 2, 3, 4, 5, 6, 7, 8]", suite)
  writeLines(sub(", guides: .*}}}", "}", suite), file.path(served, "suite.yml"))
  writeLines(
    c(
      "engines:",
      paste0(
        "  quince: {kind: http, address: \"", running$addresses, "\", per_call: ", per_call,
        "}"
      ),
      "pipelines: [{id: quick, engine: quince, hold: 0.5}]"
    ),
    file.path(served, "lineup.yml")
  )
  planned <- sum(plan_run(served)$takes$price)
  c(planned, sum(run_trial(served, score = FALSE)$takes$cost))
}

single <- cost(1)
several <- cost(4)
stop_standins(running)
truth <- c(32 * (0.002 + 0.01), 32 * 0.002 + 8 * 0.01)
is_so(
  "what several seeds a call save",
  sprintf("32 pictures for %.3f one at a time, %.3f in calls of four", truth[1], truth[2]),
  sprintf(
    "planned %.3f and %.3f, paid %.3f and %.3f",
    single[1],
    several[1],
    single[2],
    several[2]
  ),
  all(abs(c(single - truth[1], several - truth[2])) < 1e-9)
)

tell_truths()
