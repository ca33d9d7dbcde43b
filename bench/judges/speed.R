# Pictures a second on one core, and the server's memory.
source("bench/natural/gather.R")
source("bench/judges/asking.R")

photographs <- gather_photographs()
some <- photographs$path[round(seq(1, nrow(photographs), length.out = 24))]
for (name in c("people", "letters")) {
  with_judge(name, function(judge) {
    began <- Sys.time()
    judge$version()
    ready <- as.numeric(Sys.time() - began, units = "secs")
    pictures <- lapply(some, function(path) {
      pixels <- at_edge(pixels_of(path), judge$edge)
      function() pixels
    })
    began <- Sys.time()
    findings_of(judge, pictures)
    took <- as.numeric(Sys.time() - began, units = "secs")
    server <- Filter(function(one) any(grepl("serve.mjs", unlist(ps::ps_cmdline(one)))), ps::ps_children())
    memory <- max(vapply(server, function(one) ps::ps_memory_info(one)[["rss"]], 0)) / 1e6
    cat(sprintf(
      "%s: ready in %.1f s, %.2f pictures a second at %d px, %.0f MB\n",
      name, ready, length(some) / took, judge$edge, memory
    ))
  })
}
