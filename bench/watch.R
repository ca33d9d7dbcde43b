# What watching costs a run: a run of 5,000 takes of which most are made, goes on in one process and
# is watched in headless Chromium for two minutes. Tells how long it takes until takes and pictures
# are seen, the share of one core that watching uses (with the process that computes verdicts), and
# for how long others wait who want to write to the run's records, with and without it.
# From the root with the package installed:
#   Rscript bench/watch.R [TAKES] [SECONDS]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
source("bench/recorded.R")
given <- as.integer(commandArgs(trailingOnly = TRUE))
wanted <- if (length(given) > 0) given[1] else 5000
seconds <- if (length(given) > 1) given[2] else 120
folder <- tempfile("bench-watch-")
invisible(many_recorded(folder, wanted, made = round(0.8 * wanted)))

in_process <- function(code) {
  processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("-e", paste0(".libPaths(", deparse1(.libPaths()), "); ", code)),
    cleanup_tree = TRUE
  )
}

# Seconds of processor time that a process and those it started have used.
used <- function(process) {
  handles <- c(list(ps::ps_handle(process$get_pid())), ps::ps_children(
    ps::ps_handle(process$get_pid()),
    recursive = TRUE
  ))
  sum(vapply(handles, function(one) {
    tryCatch(sum(ps::ps_cpu_times(one)[c("user", "system")]), error = function(e) 0)
  }, 0))
}

# How long each of many small writes took, in milliseconds.
store <- core("open_store")(folder, "main")
write_for <- function(seconds) {
  took <- numeric()
  ends <- Sys.time() + seconds
  while (Sys.time() < ends) {
    took <- c(took, system.time(core("set_facts")(store, bench = "x"))[["elapsed"]])
    Sys.sleep(0.05)
  }
  1000 * took
}
waits <- function(took) {
  sprintf("median %.1f ms, 99 %% within %.1f ms", stats::median(took), stats::quantile(took, 0.99))
}

run <- in_process(sprintf("sprenn::run_trial('%s', workers = 1, yes = TRUE)", folder))
while (!core("is_locked")(store)) {
  Sys.sleep(0.2)
}
Sys.sleep(10)
alone <- write_for(30)

told <- tempfile()
watching <- in_process(sprintf(
  paste0(
    "sprenn::watch_run('%s', ready = function(address) { writeLines(address, '%s.part'); ",
    "file.rename('%s.part', '%s') })"
  ),
  folder, told, told, told
))
while (!file.exists(told)) {
  Sys.sleep(0.02)
}

Sys.setenv(CHROMOTE_CHROME = Sys.which(c("chromium", "google-chrome"))[[1]])
chromote::set_chrome_args(c("--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"))
page <- chromote::ChromoteSession$new(width = 1280, height = 800)
value <- function(script) page$Runtime$evaluate(script, returnByValue = TRUE)$result$value
wait <- function(script) {
  while (!isTRUE(value(script))) {
    Sys.sleep(0.01)
  }
  as.numeric(Sys.time() - began, units = "secs")
}
# A browser that is open already.
Sys.sleep(3)
opened <- used(watching)
began <- Sys.time()
invisible(page$Page$navigate(readLines(told)))
seen <- wait("document.querySelectorAll('#newest li').length > 0")
pictures <- wait(
  "[...document.querySelectorAll('#newest img')].every(one => one.naturalWidth > 0)"
)
verdict <- wait("document.querySelector('#verdict .headline') !== null")
watched <- write_for(seconds)
passed <- as.numeric(Sys.time() - began, units = "secs")
share <- (used(watching) - opened) / passed
made <- read_run(folder)$takes[["made"]]
cat(
  sprintf("%d takes, %d made by now, run %s\n", wanted, made, if (run$is_alive()) "on" else "over"),
  sprintf("takes are seen after %.2f s, their pictures after %.2f s\n", seen, pictures),
  sprintf("the first verdict after %.1f s\n", verdict),
  sprintf("watching used %.1f %% of one core over %.0f s\n", 100 * share, passed),
  sprintf("others' writes: %s; while watched: %s\n", waits(alone), waits(watched)),
  sep = ""
)
page$parent$close()
invisible(lapply(list(watching, run), function(process) process$kill_tree()))
core("close_store")(store)
unlink(folder, recursive = TRUE)
