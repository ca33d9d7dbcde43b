# How well judges see. From the root with the package installed:
#   Rscript bench/judges.R standins [PAIRS]   the demo's judges, on drawings
#   Rscript bench/judges.R photographs        people and letters, on photographs out of packages
#   Rscript bench/judges.R faces              likeness, of one person and strangers, under 12 looks
#   Rscript bench/judges.R flaws              flaws that judges look for, on unseen photographs
#   Rscript bench/judges.R drawn              portraits that are drawn: faces, smiles, likeness
#   Rscript bench/judges.R speed              pictures a second and memory
#   Rscript bench/judges.R shuffled TRIAL     whether judges are believed whose answers are shuffled
# All but the first and the last need `sprenn judges --install people letters`.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
wanted <- commandArgs(trailingOnly = TRUE)[1]
if (!wanted %in% c("standins", "photographs", "faces", "flaws", "drawn", "speed", "shuffled")) {
  stop("say which: standins, photographs, faces, flaws, drawn, speed or shuffled")
}

source(file.path("bench/judges", paste0(wanted, ".R")))
