# Is what a verdict says of itself true? Made-up runs of worlds whose truth is known: how often
# intervals hold it, whether a stated chance is how often it is so, how often a wrong pipeline is
# declared; what a run that stops when it is decided saves; whether what is planned comes about.
# From the root with the package installed:
#   Rscript bench/choosing.R [PART] [SIMULATIONS]
# PART is told (SIMULATIONS worlds of every kind; draws bench/choosing.png), races, planned,
# settled, or all. With a folder in the variable SPRENN_BENCH what was worked out is kept there,
# and the same command goes on where it was interrupted.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")

kept_in <- Sys.getenv("SPRENN_BENCH")

each <- function(jobs, f, name, ...) {
  blocks <- split(jobs, ceiling(seq_along(jobs) / 200))
  found <- lapply(seq_along(blocks), function(k) {
    file <- file.path(kept_in, sprintf("%s-%d-%03d.rds", name, length(jobs), k))
    if (nzchar(kept_in) && file.exists(file)) {
      return(readRDS(file))
    }

    block <- parallel::mclapply(blocks[[k]], f, ..., mc.cores = 2)
    failed <- Filter(function(one) inherits(one, "try-error"), block)
    if (length(failed)) {
      stop(failed[[1]])
    }

    if (nzchar(kept_in)) {
      saveRDS(block, file)
    }

    message(name, ": ", k, " of ", length(blocks), " blocks")
    block
  })
  do.call(c, found)
}

parts <- list.files("bench/choosing", full.names = TRUE)

for (part in parts) {
  source(part)
}

given <- commandArgs(trailingOnly = TRUE)
part <- if (length(given)) given[1] else "all"
simulations <- if (length(given) > 1) as.integer(given[2]) else 2000
wanted <- function(name) part %in% c(name, "all")

if (wanted("told")) {
  draw_told(tell(simulations))
}

if (wanted("races")) {
  race(simulations)
}

if (wanted("planned")) {
  plan_ahead(simulations)
}

if (wanted("settled")) {
  settle(simulations)
}
