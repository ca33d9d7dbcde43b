# How fast takes are made when the engine takes no time: an R function in two worker processes, and
# a server with 64 calls in flight from one process. Run from the root with the package
# installed; with the library of an older version, both are measured in turns:
#   Rscript bench/making.R [TAKES] [LIBRARY OF THE CODE BEFORE]
given <- commandArgs(TRUE)
takes <- if (length(given)) given[1] else "1600"
libraries <- c(before = given[2][length(given) > 1], now = dirname(find.package("sprenn")))

one <- function(library, kind) {
  said <- processx::run(
    "Rscript",
    c("bench/making/one.R", kind, takes),
    env = c("current", R_LIBS = library)
  )$stdout
  as.numeric(strsplit(trimws(utils::tail(strsplit(said, "\n")[[1]], 1)), " ")[[1]])
}

# Seconds of a loop in each of so many processes at once: what the machine's cores are worth.
loop <- "t <- proc.time()[[3]]; x <- 0; for (i in 1:4e7) x <- x + i; cat(proc.time()[[3]] - t)"
seconds_of <- function(processes) {
  running <- lapply(seq_len(processes), function(i) {
    processx::process$new("Rscript", c("-e", loop), stdout = "|")
  })
  mean(vapply(running, function(process) {
    process$wait()
    as.numeric(process$read_all_output())
  }, 0))
}

worth <- 2 * seconds_of(1) / seconds_of(2)
cat(sprintf("Two processes do %.2f times the work of one on this machine just now.\n", worth))
for (kind in c("function", "http")) {
  for (round in 1:2) {
    for (which in names(libraries)) {
      found <- one(libraries[[which]], kind)
      cat(sprintf(
        "%-8s %-6s %6.1f takes/s, %5.1f ms of the coordinator's processor a take, %4.0f MB\n",
        kind,
        which,
        found[1],
        found[2],
        found[3]
      ))
    }
  }
}
