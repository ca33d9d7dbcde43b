# Kills of every command that writes: at a random instant, or at a random system call that changes
# a file. Afterwards every file is whole; the same command then comes to the same end as one that
# was left alone; nothing is paid twice and nothing outside the trial is touched.

# System calls that change what is on the disk.
changing_calls <- paste(
  "rename", "renameat", "renameat2", "unlink", "unlinkat", "mkdir", "mkdirat", "rmdir",
  "fsync", "fdatasync", "ftruncate", "pwrite64", "link", "linkat",
  sep = ","
)

# Every scenario starts from a copy of `box`, a folder that holds `trial` and what else the command
# is given. `arguments` are those of the command, which runs in the box; `most` is the highest
# status that it may end with when it is called again: `new` writes over nothing. `asks` is 2 for
# what asks its engines anew at every call.
kill_scenarios <- function(boxes, quick = FALSE) {
  one <- function(box, ..., most = 0, asks = 1) {
    list(box = boxes[[box]], arguments = c(...), seconds = 60, most = most, asks = asks)
  }
  few <- list(
    "export as csv" = one("run", "export", "trial", "--as", "csv", "--out", "tables"),
    "prune" = one("shrunk", "prune", "trial", "--yes")
  )
  if (quick) {
    return(few)
  }

  c(few, list(
    "run" = one("bare", "run", "trial", "--workers", "2"),
    "new, the demo" = one("empty", "new", "fresh", "--demo", most = 2),
    "new, from pictures" = one("pictures", "new", "fresh", "--from", "pictures", most = 2),
    "new, from a zip" = one("zip", "new", "fresh", "--from", "torn.zip", most = 2),
    "new, like another" = one("bare", "new", "fresh", "--like", "trial", most = 2),
    "caption" = one("untold", "caption", "trial", "--engine", "bracken"),
    "pack" = one("bare", "pack", "trial", "--out", "torn.zip"),
    "pack over another" = one("zip", "pack", "trial", "--out", "torn.zip"),
    "prepare" = one("bare", "prepare", "trial"),
    "engines --try" = one("bare", "engines", "trial", "--try", asks = 2),
    "calibrate" = one("bare", "calibrate", "trial", "--engine", "served", "--rungs", "5"),
    "run, not measured" = one("bare", "run", "trial", "--no-score", "--workers", "0"),
    "run, in rounds" = one("bare", "run", "trial", "--until", "decided", "--workers", "0"),
    "run, grown" = one("grown", "run", "trial", "--workers", "2"),
    "run, reshaped" = one("shrunk", "run", "trial", "--workers", "0"),
    "score" = one("unscored", "score", "trial", "--workers", "2"),
    "score --again" = one("run", "score", "trial", "--again", "--workers", "0"),
    "check --repair" = one("broken", "check", "trial", "--run", "main", "--repair"),
    "a store of an older form" = one("older", "run", "trial"),
    "choose --out" = one("run", "choose", "trial", "--out", "tradeoff.png"),
    "curves --out" = one("run", "curves", "trial", "--out", "curves.svg"),
    "match --out" = one("run", "match", "trial", "--out", "match.png"),
    "influence --out" = one("run", "influence", "trial", "--out", "influence.png"),
    "compare --out" = one("two", "compare", "trial", "main", "next", "--out", "changes.png"),
    "sheet" = one("run", "sheet", "trial", "--out", "sheet.png"),
    "sheet, pages" = one("run", "sheet", "trial", "--rows", "1", "--out", "sheet.pdf"),
    "report" = one("run", "report", "trial", "--out", "report.html"),
    "report --full" = one("run", "report", "trial", "--full", "--out", "report.html"),
    "export as parquet" = one("run", "export", "trial", "--as", "parquet", "--out", "tables"),
    "export as pictures" = one("run", "export", "trial", "--as", "pictures", "--out", "named"),
    "export as crate" = one("run", "export", "trial", "--out", "crate.zip"),
    "measure --explain" = one(
      "run", "measure", "trial/look.png", "--against", "trial/references/r1.png",
      "--measure", "layout", "--explain", "why.png"
    ),
    "probe --explain" = one(
      "run", "probe", "trial/look.png", "colour: teal, share: at least 0.1", "--explain", "why.png"
    )
  ))
}

# The folders that scenarios start from; a few of them if it is to be `quick`.
make_boxes <- function(address, quick = FALSE) {
  box <- function(name, like = NULL) {
    place <- file.path(work, "boxes", name)
    if (is.null(like)) dir.create(place, recursive = TRUE) else copy_folder(like, place)
    place
  }
  ran <- function(place, ...) {
    ended <- run_command(c("run", "trial", "--workers", "2", ...), place)
    stopifnot(ended$status == 0)
    place
  }
  edit <- function(place, file, from, to) {
    path <- file.path(place, "trial", file)
    writeLines(gsub(from, to, readLines(path), fixed = TRUE), path)
  }
  bare <- box("bare")
  write_base_trial(file.path(bare, "trial"), address)
  done <- ran(box("run", bare))
  shrunk <- box("shrunk", done)
  edit(shrunk, "suite.yml", "seeds: [1, 2]", "seeds: [1]")
  edit(shrunk, "suite.yml", "hill 2", "hill 22")
  if (quick) {
    return(list(bare = bare, run = done, shrunk = shrunk))
  }

  empty <- box("empty")
  pictures <- box("pictures")
  copy_folder(file.path(bare, "trial", "references"), file.path(pictures, "pictures"))
  zip <- box("zip", bare)
  run_command(c("pack", "trial", "--out", "torn.zip"), zip)
  untold <- box("untold", bare)
  suite <- file.path(untold, "trial", "suite.yml")
  writeLines(sub(", prompt: \\[.*\\]\\}$", "}", readLines(suite)), suite)
  unscored <- ran(box("unscored", bare), "--no-score")
  two <- ran(box("two", done), "--run", "next")
  grown <- box("grown", done)
  edit(grown, "suite.yml", "seeds: [1, 2]", "seeds: [1, 2, 3]")
  broken <- box("broken", done)
  break_run(file.path(broken, "trial"))
  older <- box("older", done)
  make_older(file.path(older, "trial"))
  list(
    empty = empty, bare = bare, pictures = pictures, zip = zip, untold = untold,
    unscored = unscored, run = done, two = two, grown = grown, shrunk = shrunk, broken = broken, older = older
  )
}

# A missing picture, two altered ones, and files that nobody knows.
break_run <- function(trial) {
  takes <- list.files(file.path(trial, "runs", "main", "takes"), "png$", recursive = TRUE)
  takes <- file.path(trial, "runs", "main", "takes", sort(takes))
  unlink(takes[1])
  for (file in takes[2:3]) {
    png::writePNG(array(0.5, c(4, 4, 3)), file)
  }

  for (name in c("unknown.png", "notes.txt")) {
    writeLines("not of this run", file.path(dirname(takes[4]), name))
  }
}

make_older <- function(trial) {
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(trial, "runs", "main", "run.sqlite"))
  on.exit(DBI::dbDisconnect(db))
  DBI::dbExecute(db, "DROP INDEX scores_deciding")
  for (table in c("answers", "ballots")) {
    DBI::dbExecute(db, paste("DROP TABLE", table))
  }

  DBI::dbExecute(db, "ALTER TABLE prints DROP COLUMN overlay")
  for (view in DBI::dbGetQuery(db, "SELECT name FROM sqlite_master WHERE type = 'view'")$name) {
    DBI::dbExecute(db, paste("DROP VIEW", view))
  }

  DBI::dbExecute(db, "ALTER TABLE takes DROP COLUMN asked")
  for (column in c("add_ons", "gives", "varied")) {
    DBI::dbExecute(db, paste("ALTER TABLE pipelines DROP COLUMN", column))
  }

  DBI::dbExecute(db, "PRAGMA user_version = 4")
}

# A fresh copy of the scenario's box, beside a folder that nobody may touch.
lay_out <- function(scenario) {
  place <- tempfile("case-", work)
  dir.create(file.path(place, "outside"), recursive = TRUE)
  writeLines("not to be touched", file.path(place, "outside", "kept.txt"))
  copy_folder(scenario$box, file.path(place, "box"))
  list(place = place, box = file.path(place, "box"))
}

begin_in <- function(at, scenario, before = character()) {
  start_command(scenario$arguments, at$box, before)
}

# Runs it twice undisturbed: how long it takes, how many changing calls it makes, and what both
# ends have in common.
learn_end <- function(name, scenario, ledger) {
  ends <- lapply(1:2, function(i) {
    at <- lay_out(scenario)
    paid <- count_paid(ledger)
    log <- tempfile("calls-", work)
    began <- proc.time()[["elapsed"]]
    command <- begin_in(at, scenario, if (i == 2) traced(log))
    status <- end_command(command, scenario$seconds, name)
    list(
      at = at,
      status = status,
      seconds = proc.time()[["elapsed"]] - began,
      calls = if (i == 2) calls_in(log),
      paid = count_paid(ledger) - paid,
      contents = contents_of(at$box)
    )
  })
  first <- ends[[1]]
  if (!setequal(names(first$contents), names(ends[[2]]$contents))) {
    found(name, " left other files the second time")
  }

  common <- intersect(names(first$contents), names(ends[[2]]$contents))
  same <- common[first$contents[common] == ends[[2]]$contents[common]]
  unlink(vapply(ends, function(end) end$at$place, ""), recursive = TRUE)
  list(
    status = first$status,
    seconds = first$seconds,
    calls = ends[[2]]$calls,
    paid = first$paid,
    names = names(first$contents),
    stable = first$contents[same]
  )
}

has_strace <- function() nzchar(Sys.which("strace"))

traced <- function(log) {
  if (!has_strace()) {
    return(character())
  }

  c("strace", "-f", "-qq", "-o", log, "-e", paste0("trace=", changing_calls))
}

# The changing calls of the command's own process, which writes the first line, in their order.
calls_in <- function(log) {
  if (!file.exists(log)) {
    return(character())
  }

  lines <- grep("^[0-9]+ +[a-z0-9]+\\(", readLines(log, warn = FALSE), value = TRUE)
  process <- sub(" .*", "", lines)
  sub("^[0-9]+ +([a-z0-9]+)\\(.*", "\\1", lines[process == process[1]])
}

# What kills a command at the call of this number; strace counts those of one name.
killing_at <- function(calls, number) {
  name <- calls[number]
  c(
    "strace", "-f", "-qq", "-o", "/dev/null",
    "-e", paste0("trace=", changing_calls),
    "-e", paste0("inject=", name, ":signal=KILL:when=", sum(calls[seq_len(number)] == name))
  )
}

count_paid <- function(ledger) {
  tryCatch(length(unlist(jsonlite::read_json(ledger))), error = function(e) 0)
}

# One kill, and what came of it. Returns whether the command was still at work.
kill_once <- function(name, scenario, end, ledger) {
  at <- lay_out(scenario)
  on.exit(unlink(at$place, recursive = TRUE))
  paid <- count_paid(ledger)
  if (length(end$calls) > 0 && runif(1) < 0.6) {
    number <- sample(length(end$calls), 1)
    instant <- paste0("at ", end$calls[number], ", change ", number, " of ", length(end$calls))
    command <- begin_in(at, scenario, killing_at(end$calls, number))
    command$process$wait(1000 * scenario$seconds)
  } else {
    seconds <- runif(1, 0.35, 1) * end$seconds
    instant <- sprintf("after %.2f of %.2f s", seconds, end$seconds)
    command <- begin_in(at, scenario)
    command$process$wait(1000 * seconds)
  }

  hit <- command$process$is_alive() || !identical(command$process$get_exit_status(), end$status)
  command$process$kill()
  what <- paste0(name, ", killed ", instant)
  # What is there is whole, and what was there before is.
  files <- list.files(at$box, recursive = TRUE)
  for (file in files[is_output(files)]) {
    if (!is_whole(file.path(at$box, file))) {
      found(what, ": ", file, " is not whole")
    }
  }

  status <- end_command(begin_in(at, scenario), scenario$seconds, paste0(what, ", again"))
  if (status > max(end$status, scenario$most)) {
    found(what, ": again, it ended with status ", status)
  }

  compare_ends(what, end, contents_of(at$box))
  # Copies of one run ask under the same keys, so that the server may have been paid already. A
  # command that was done before it could be killed may ask anew.
  if (count_paid(ledger) - paid > (scenario$asks + !hit) * end$paid) {
    found(what, ": paid ", count_paid(ledger) - paid, " times, not ", end$paid)
  }

  if (!identical(list.files(at$place), c("box", "outside")) ||
    !identical(readLines(file.path(at$place, "outside", "kept.txt")), "not to be touched")) {
    found(what, ": something outside was changed")
  }

  hit
}

# Everything that is not a part beside its place, the records, or a file broken on purpose.
is_output <- function(files) {
  !grepl("[.]sprenn-part-|takes/|set-aside/|run[.]sqlite|events[.]jsonl", files)
}

compare_ends <- function(what, end, after) {
  more <- setdiff(names(after), end$names)
  less <- setdiff(end$names, names(after))
  both <- intersect(names(end$stable), names(after))
  other <- both[end$stable[both] != after[both]]
  if (length(more)) {
    found(what, ": left ", paste(head(more, 3), collapse = ", "))
  }

  if (length(less)) {
    found(what, ": lacks ", paste(head(less, 3), collapse = ", "))
  }

  if (length(other)) {
    found(what, ": differs in ", paste(head(other, 3), collapse = ", "))
    before <- rows_of_records[[end$stable[other[1]]]]
    now <- rows_of_records[[after[other[1]]]]
    cat("  gone:", head(setdiff(before, now), 4), "new:", head(setdiff(now, before), 4), sep = "\n  ")
  }
}

run_kills <- function(count, quick = FALSE, only = NULL) {
  running <- start_standins("bracken", seconds = 0.1, at_once = 4)
  on.exit(stop_standins(running))
  ledger <- running$ledgers[["bracken"]]
  boxes <- make_boxes(running$addresses[["bracken"]], quick)
  scenarios <- kill_scenarios(boxes, quick)
  if (!is.null(only)) {
    scenarios <- scenarios[grepl(only, names(scenarios))]
  }

  ends <- Map(function(name, scenario) learn_end(name, scenario, ledger), names(scenarios), scenarios)
  for (name in names(ends)) {
    end <- ends[[name]]
    say(
      "%-26s %5.1f s, %4d changing calls, status %d, %d of %d files alike",
      name, end$seconds, length(end$calls), end$status, length(end$stable), length(end$names)
    )
  }

  hits <- stats::setNames(numeric(length(ends)), names(ends))
  for (i in seq_len(count)) {
    name <- names(scenarios)[1 + (i - 1) %% length(scenarios)]
    hits[name] <- hits[name] + kill_once(name, scenarios[[name]], ends[[name]], ledger)
    if (i %% 25 == 0) {
      say("%d kills, %d of them in mid-work, %d finds", i, sum(hits), length(finds))
    }
  }

  say(
    "kills: %d of %d commands, %d of them in mid-work; %d finds",
    count, length(scenarios), sum(hits), length(finds)
  )
}
