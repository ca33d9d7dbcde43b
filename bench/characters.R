# The demo's engines have characters that were built in (R/standin-*.R). Are they found out?
# From the root with the package installed, after `make demo`:
#   Rscript bench/characters.R [TRIAL]
# Prints what is true of each beside what the run of the demo says, and whether that agrees.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(trailingOnly = TRUE)
trial <- read_trial(if (length(given)) given[1] else "brackwater")
verdict <- choose_pipeline(trial, job = "restyle")
curves <- response_curves(trial, job = "restyle")
match <- match_engines(trial, job = "restyle")
influence <- measure_influence(trial)
source("bench/truths.R")

# How much each pipeline really changes of its reference, by its own rule.
knob <- function(hold) 1 + 99 * hold

change <- c(
  "yarrow/hold=0.2" = 0.8^1.2,
  yarrow = 0.4^1.2,
  "yarrow/hold=0.8" = 0.2^1.2,
  bracken = core("bracken_change")(knob(0.6)),
  "bracken/hold=0.7" = core("bracken_change")(knob(0.7)),
  "bracken/hold=0.9" = core("bracken_change")(knob(0.9)),
  sorrel = 0.75 * (1 - 0.5^0.45) + 0.05
)

standing <- verdict$pipelines[match(names(change), verdict$pipelines$pipeline), ]
agreed <- stats::cor(-change, standing$structure, method = "spearman")

is_so(
  "structure",
  "the less an engine changes, the more is kept: seven pipelines in order",
  paste("rank correlation", two(agreed)),
  agreed > 0.9
)

feature <- function(line) curves$features[curves$features$line == line, ]
bracken <- feature("bracken")
yarrow <- feature("yarrow")

words <- function(one) {
  if (is.na(one$cliff_from)) {
    "no cliff"
  } else {
    paste0(
      "cliff from ", one$cliff_from, " to ", one$cliff_to, ", structure by ",
      two(abs(one$drop))
    )
  }
}

is_so(
  "bracken's cliff",
  "half of its fall lies between hold 0.58 and 0.65",
  words(bracken),
  bracken$cliff_from == 0.6 && bracken$cliff_to == 0.7
)

is_so("yarrow's cliff", "none: it answers evenly", words(yarrow), is.na(yarrow$cliff_from))

window <- function(one) {
  paste0(
    two(one$window_from), if (one$open_low) " or lower", " to ",
    two(one$window_to), if (one$open_high) " or higher"
  )
}

is_so(
  "bracken's window",
  "opens on the cliff (above 0.6 half is kept), shuts where the prompt is ignored (from 0.81 on)",
  window(bracken),
  bracken$window_from > 0.45 &&
    bracken$window_from < 0.7 &&
    bracken$window_to > 0.7 &&
    bracken$window_to < 0.9
)

is_so(
  "yarrow's window",
  "opens where enough is kept, never shuts by itself: the prompt is read at every hold",
  window(yarrow),
  yarrow$window_from > 0.2 && yarrow$open_high
)

said <- function(pipeline, input) {
  influence$inputs$influence[influence$inputs$pipeline == pipeline &
    influence$inputs$input == input]
}

moved <- function(pipeline, input) {
  two(
    influence$inputs$moved[influence$inputs$pipeline == pipeline &
      influence$inputs$input == input]
  )
}

prompts <- influence$inputs[influence$inputs$input == "prompt", ]
ignoring <- prompts$pipeline[prompts$influence == "ignored"]

is_so(
  "who ignores the prompt",
  "bracken above its threshold; teasel where it only sharpens",
  paste(ignoring, collapse = ", "),
  setequal(ignoring, c("bracken/hold=0.9", "teasel-firm"))
)

looks <- influence$inputs[influence$inputs$input == "look", ]

is_so(
  "who ignores the look",
  "nobody who takes one",
  if (any(looks$influence == "ignored")) {
    paste(looks$pipeline[looks$influence == "ignored"], collapse = ", ")
  } else {
    "nobody"
  },
  !any(looks$influence == "ignored")
)

area <- match$areas[match$areas$score == "style", ]
lead <- if (area$one[1] == "bracken") area$difference[1] else -area$difference[1]
ends <- sort(abs(c(area$low[1], area$high[1])))

is_so(
  "style at equal structure",
  "bracken paints at 0.95 strength, yarrow at 0.55 to 0.90",
  paste0("bracken ahead by ", two(lead), " (", two(ends[1]), " to ", two(ends[2]), ")"),
  lead > 0 && area$low[1] * area$high[1] > 0
)

guided <- list_contrasts(trial, job = "restyle", vary = "guides")$differences
of_guides <- guided[guided$score == "structure", ]
kinds <- c(areas = "areas$", soft_edges = "soft_edges$", edges = "guided$")
held <- of_guides[vapply(kinds, grep, 0L, of_guides$pipeline), ]

is_so(
  "which guide holds",
  "at 0.8 of a weight edges hold 0.50 of the layout, soft edges 0.42, areas 0.33",
  paste0(
    "areas ", two(held$difference[1]), ", soft edges ",
    two(held$difference[2]), ", edges ", two(held$difference[3]), " more than without"
  ),
  all(held$low > 0) && !is.unsorted(held$difference)
)

painted <- guided[guided$score == "style", ]

is_so(
  "what a guide costs",
  "held to the end, it leaves the manner's texture a third weaker",
  paste("style", paste(two(painted$difference), collapse = ", ")),
  all(painted$high < 0)
)

worded <- list_contrasts(trial, job = "vary", vary = "wording.after")$differences
of_layout <- worded[worded$score %in% c("structure", "adherence"), ]

is_so(
  "words of praise",
  "they polish, and change neither layout nor contents; `roughly` says nothing to yarrow",
  paste("structure and adherence by", two(max(abs(of_layout$difference))), "at most"),
  all(abs(of_layout$difference) < 0.05) && all(of_layout$low <= 0 & of_layout$high >= 0)
)

grid <- list_contrasts(trial, job = "vary", vary = "look.weight")$differences
flooded <- grid[grid$score == "adherence" & grepl("1.6$", grid$pipeline), ]

is_so(
  "how much of the look",
  "above 1.3 its pictures' contents come along and cover what was asked for",
  paste("adherence at 1.6 against 0.5:", paste(two(flooded$difference), collapse = ", ")),
  all(flooded$difference < 0)
)

printed <- explain_pipeline(trial, "yarrow-print", job = "vary")$stages

is_so(
  "enlarging",
  "teasel at 0.97 changes 0.03, far from where it makes things up: layout and prompt stay",
  paste(printed$score, two(printed$gain), collapse = ", "),
  all(abs(printed$gain[printed$score %in% c("structure", "adherence")]) < 0.05)
)

steps <- explain_pipeline(trial, "quince-combed", job = "restyle")$stages
gain <- function(score) steps[steps$score == score, ]

is_so(
  "the second step",
  "teasel at 0.9 sharpens and invents nothing: layout and prompt as they were",
  paste0(
    "structure ", two(gain("structure")$gain), ", adherence ",
    two(gain("adherence")$gain), ", style ",
    two(gain("style")$gain)
  ),
  abs(gain("structure")$gain) < 0.05 && abs(gain("adherence")$gain) < 0.05
)

store <- core("open_store")(trial$folder, "main")

flaws <- core("read_db")(
  store,
  paste0(
    "SELECT t.pipeline, s.measure, s.level FROM scores s JOIN takes t ON t.take = s.take WHERE ",
    "s.axis = 'flaws' AND t.control IS NULL"
  )
)

takes <- core("read_db")(
  store,
  "SELECT pipeline, case_id, state FROM takes WHERE control IS NULL"
)

core("close_store")(store)

# Who lets go of everything may well put the house on the other side of the lighthouse.
loose <- grepl("^(yarrow/hold=0.2|yarrow-(loose|print|guided)|bracken-loose)", flaws$pipeline)
mirrored <- flaws$pipeline[flaws$measure == "mirrored" & flaws$level == "serious" & !loose]

is_so(
  "who mirrors though it holds",
  "quince, one in ten",
  if (length(mirrored)) {
    paste(names(table(mirrored)), table(mirrored), collapse = ", ")
  } else {
    "nobody"
  },
  length(mirrored) > 0 && all(grepl("^quince", mirrored))
)

refused <- takes[takes$state == "refused", ]

is_so(
  "who refuses",
  "sorrel, the case with smoke",
  paste(unique(paste(refused$pipeline, refused$case_id)), collapse = "; "),
  identical(unique(paste(refused$pipeline, refused$case_id)), "sorrel mast-moonlit")
)

events <- jsonlite::stream_in(
  file(file.path(trial$folder, "runs", "main", "events.jsonl")),
  verbose = FALSE
)

broken <- events$engine[events$event == "to be tried again" & events$kind %in% "bad_answer"]

is_so(
  "who breaks files off",
  "sorrel, one in fifty, mended by asking again",
  if (length(broken)) paste(unique(broken), collapse = ", ") else "nobody",
  identical(unique(broken), "sorrel")
)

best <- vapply(
  c("restyle", "repair", "vary"),
  function(job) choose_pipeline(trial, job = job)$best,
  ""
)

decided <- vapply(
  c("restyle", "repair", "vary"),
  function(job) choose_pipeline(trial, job = job)$state == "decided",
  NA
)

is_so(
  "repainting",
  "bracken just past its cliff: most of the layout, all of the prompt, the strongest paint",
  best[["restyle"]],
  decided[["restyle"]] && best[["restyle"]] == "bracken/hold=0.7"
)

is_so(
  "mending",
  "yarrow takes scratches out, bracken fades them, teasel sharpens them",
  best[["repair"]],
  decided[["repair"]] && best[["repair"]] == "yarrow-firm"
)

is_so(
  "varying",
  "all let go; bracken paints at 0.95 strength, quince at 0.90, yarrow at 0.74 at most",
  paste(best[["vary"]], if (decided[["vary"]]) "decided" else "leads, not decided"),
  best[["vary"]] == "bracken-loose"
)

tell_truths()
