# Commands that serve a page on this machine.

page_commands <- function() {
  list(
    mark = new_command(
      "Mark references on a page: watched regions, crops, masks, canvas, poses.",
      "TRIAL",
      unname(serving_options()),
      cli_mark,
      examples = "sprenn mark brackwater",
      note = paste0(
        "What has changed is shown before it is written into suite.yml, masks/ and guides/.\n",
        "Press Ctrl-C to stop."
      )
    )
  )
}

serving_options <- function() {
  list(
    port = new_option("port", "integer", NULL, "the page's port [a free one]", "PORT"),
    seconds = new_option("for", "double", Inf, "stop after so many seconds", "SECONDS")
  )
}

cli_mark <- function(given) {
  mark_trial(given$places, given$port, given[["for"]], ready = tell_address(given))
  0L
}

# Says where a page can be opened; beside the answer where that is JSON.
tell_address <- function(given, whom = "") {
  function(address) {
    cat(
      file = if (isTRUE(given$json)) stderr() else "",
      "Open this address on this machine", whom, ". Press Ctrl-C to stop:\n\n  ", address, "\n\n",
      sep = ""
    )
  }
}
