# What the demo's engines make of portraits was built in (R/standin-cards.R). Is it found out? On
# people who are drawn for this at random, in place of those of the demo's cards, with other seeds.
# From the root with the package and the judges people and letters installed; another PEOPLE (a
# number, 500 by default) draws other people:
#   Rscript bench/characters-cards.R [PEOPLE [FOLDER]]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
source("bench/truths.R")
source("bench/judges/people.R")
given <- commandArgs(trailingOnly = TRUE)
people <- if (length(given)) as.integer(given[1]) else 500L
folder <- if (length(given) > 1) given[2] else file.path(tempdir(), "strangers")
if (!dir.exists(folder)) {
  new_trial(folder, cards = TRUE)
  references <- list.files(file.path(folder, "references"), full.names = TRUE)
  for (i in seq_along(references)) {
    picture <- core("draw_portrait")(invented_person(people + i), 320, 400, people + 100 + i)
    core("write_drawing")(picture, references[i])
  }

  suite <- readLines(file.path(folder, "suite.yml"))
  writeLines(sub("^seeds: .*", "seeds: [2, 5, 8]", suite), file.path(folder, "suite.yml"))
}

run_trial(folder)
shown <- list_evidence(folder)$shown
told <- function(judge, statement, column) {
  rows <- shown[shown$judge == judge & shown$statement == statement, ]
  stats::setNames(rows[[column]], rows$pipeline)
}
say <- function(values) paste(names(values), two(values), collapse = ", ")

likeness <- told("people", "people_likeness", "wanted")
is_so(
  "likeness",
  "quince gives everybody one face; the others keep theirs as long as they hold the reference",
  say(likeness),
  likeness[["quince"]] < 0.25 && all(likeness[c("yarrow", "bracken", "sorrel")] > 0.6)
)
swept <- likeness[c("yarrow/hold=0.4", "yarrow/hold=0.6", "yarrow")]
is_so(
  "likeness and hold",
  "the less yarrow holds, the less of a face is left",
  say(swept),
  !is.unsorted(swept)
)

smiles <- told("people", "smiling", "wanted")
unasked <- told("people", "smiling", "elsewhere")
of_yarrow <- startsWith(names(smiles), "yarrow")
more <- smiles - unasked
is_so(
  "who smiles when asked",
  "yarrow alone: bracken never, quince always, and sorrel hears too little of the prompt",
  paste0("asked: ", say(smiles), "; elsewhere: ", say(unasked)),
  min(more[of_yarrow]) > max(more[!of_yarrow]) + 0.05
)
is_so(
  "who never smiles",
  "bracken",
  say(smiles["bracken"]),
  smiles[["bracken"]] < 0.15
)
others <- unasked[names(unasked) != "quince"]
is_so(
  "who smiles unasked",
  "quince, as much as when asked",
  say(unasked),
  unasked[["quince"]] > max(others) + 0.2
)

lettering <- told("letters", "lettering", "elsewhere")
is_so(
  "who writes on cards",
  "sorrel, and nobody else",
  say(lettering),
  lettering[["sorrel"]] > 0.5 && all(lettering[names(lettering) != "sorrel"] < 0.1)
)
tell_truths()
