# Workers on other machines: the file that names them, and hosts made of network
# namespaces on this one.

workers_file <- function(..., env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ".yml", .local_envir = env)
  writeLines(c(...), file)
  file
}

test_that("a file of workers is read, with all that is wrong with it at once", {
  read <- read_workers(
    workers_file(
      "here: 2",
      "listen: \"10.0.0.5:7000\"",
      "hosts:",
      "  - ssh: ana@hut.example:2222",
      "  - {ssh: mast, processes: 4, rscript: /opt/R/bin/Rscript}",
      "cluster: {command: sbatch, processes: 8, options: \"#SBATCH --mem=4G\"}"
    )
  )
  expect_equal(read[c("here", "listen")], list(here = 2L, listen = "10.0.0.5:7000"))
  expect_equal(
    read$hosts[[1]],
    list(ssh = "ana@hut.example:2222", processes = 1L, rscript = "Rscript")
  )
  expect_equal(read$hosts[[2]]$processes, 4)
  expect_equal(read$cluster$command, "sbatch")
  # A machine may be in several networks.
  several <- c(eth0 = "tls+tcp://192.0.2.2:0", eth1 = "tls+tcp://198.51.100.7:0")
  expect_equal(first_host(several), "192.0.2.2:0")
  expect_length(read_workers(workers_file("here: 0"))$listen, 1)
  expect_equal(
    read_workers(workers_file("here: 0", "listen: mast"))$listen,
    "mast:0"
  )
  wrong <- tryCatch(
    read_workers(
      workers_file(
        "here: -1",
        "hosts:",
        "  - ssh: -oProxyCommand=evil",
        "  - {processes: 2}",
        "clusters: {}"
      )
    ),
    error = identity
  )
  expect_s3_class(wrong, "sprenn_error_workers")
  expect_setequal(wrong$problems$place, c("here", "hosts[1].ssh", "hosts[2].ssh", "clusters"))
  expect_equal(wrong$problems$near[wrong$problems$place == "clusters"], "cluster")
  expect_error(
    read_workers(workers_file("listen: 127.0.0.1", "cluster: {command: qsub}")),
    "the cluster's machines reach"
  )
  expect_error(
    run_trial(small_trial(), workers = "nowhere.yml")$takes,
    "nowhere.yml",
    class = "sprenn_error_argument"
  )
  expect_error(
    run_trial(small_trial(), workers = workers_file("here: 1", "listen: \"192.0.2.1:0\""))$takes,
    "Can't listen at 192.0.2.1",
    class = "sprenn_error_workers"
  )
})

test_that("a worker on another machine needs nothing of this one's disk", {
  folder <- small_trial(gsub("a thing", "a windmill", small_suite))
  run_trial(folder, workers = 0)
  trial <- read_trial(folder)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  take <- read_takes(store)[1, ]
  bytes <- take_bytes(store, take)
  suite <- suite_for_case(trial$suite, case_named(trial$suite, take$case))
  bundle <- list(id = "bundle", suite = suite)
  files <- lapply(stats::setNames(nm = names(suite$files)), read_bytes)
  expect_gt(length(files), 1)
  scores <- score_bytes(bytes, suite$cases[[1]], suite, Cache$new())
  engine <- trial$lineup$engines$mixer
  request <- request_for(
    trial,
    trial$lineup$pipelines[1, ],
    engine,
    take,
    Cache$new()
  )
  plan <- engine$plan
  plan$far <- TRUE
  expect_equal(plan$files, "mixer.R")
  program <- read_named(folder, plan$files)
  file.rename(folder, away <- paste0(folder, "-away"))
  withr::defer(unlink(away, recursive = TRUE))
  expect_equal(score_elsewhere(bundle, list(bytes), TRUE), "lacking")
  expect_equal(score_elsewhere(bundle, list(bytes), TRUE, files)$scores, list(scores))
  expect_equal(score_elsewhere(bundle, list(bytes), TRUE)$scores, list(scores))
  expect_equal(make_elsewhere(plan, pack_requests(list(request))), "lacking")
  made <- make_elsewhere(plan, pack_requests(list(request)), program)
  expect_equal(made[[1]]$bytes, bytes)
})

# Hosts on this machine: each in a network of its own, joined by a bridge, and
# without the trial's folder.
local_hosts <- function(count, folder, env = parent.frame()) {
  skip_on_cran()
  ip <- Sys.which("ip")
  skip_if(!nzchar(ip), "There is no `ip` to make networks with.")
  tag <- paste(sample(c(letters, 0:9), 4, TRUE), collapse = "")
  call <- function(...) {
    processx::run(ip, strsplit(paste(...), " ")[[1]], error_on_status = FALSE)
  }

  allowed <- call("netns add", paste0("sp", tag, 0))$status == 0
  skip_if(!allowed, "Networks can't be made here: that takes rights that this user has not.")
  withr::defer(call("netns del", paste0("sp", tag, 0)), envir = env)
  net <- paste0("10.", 200 + sample(50, 1), ".", sample(250, 1), ".")
  bridge <- paste0("br", tag)
  all_well <- call("link add", bridge, "type bridge")$status == 0
  skip_if(!all_well, "Bridges between networks can't be made here.")
  withr::defer(call("link del", bridge), envir = env)
  call("addr add", paste0(net, "1/24"), "dev", bridge)
  call("link set", bridge, "up")
  names <- paste0("sp", tag, seq_len(count))
  withr::defer(
    for (name in names) {
      call("netns del", name)
    },
    envir = env
  )
  for (i in seq_len(count)) {
    call("netns add", names[i])
    link <- paste0("v", tag, i)
    call("link add", link, "type veth peer name eth0 netns", names[i])
    call("link set", link, "master", bridge, "up")
    for (words in c("addr add PLACE dev eth0", "link set eth0 up", "link set lo up")) {
      call("netns exec", names[i], "ip", sub("PLACE", paste0(net, 10 + i, "/24"), words))
    }
  }

  list(
    address = paste0(net, "1"),
    names = names,
    cut = function(i) call("link set", paste0("v", tag, i), "down"),
    join = function(i, script, processes = 2) {
      hidden <- paste(
        "mount -t tmpfs none", shQuote(folder), "&& exec sh", shQuote(script), processes
      )
      process <- processx::process$new(
        ip,
        c("netns", "exec", names[i], "sh", "-c", hidden),
        cleanup_tree = TRUE
      )
      withr::defer(process$kill_tree(), envir = env)
      process
    }
  )
}

events_of <- function(folder, run = "main") {
  lines <- tryCatch(
    readLines(file.path(folder, "runs", run, "events.jsonl"), warn = FALSE),
    error = function(e) character()
  )
  lapply(lines, function(line) {
    tryCatch(jsonlite::parse_json(line), error = function(e) list(event = "half a line"))
  })
}

count_events <- function(folder, kind, run = "main") {
  sum(vapply(events_of(folder, run), `[[`, "", "event") == kind)
}

test_that("hosts join, are cut off, stop and come late, and the run is as if nothing had been", {
  mixing <- c(
    "mixer.R" = paste0(
      "sprenn::engine(about = list(name = 'mixer', version = '1', checkpoints = list(plain = ",
      "list())), make = function(request) { Sys.sleep(1); ",
      "sprenn::engine_result((request$reference + request$seed / 9) %% 1, cost = 0.5) })"
    )
  )
  folder <- small_trial(
    sub("seeds: .*", "seeds: [1, 2, 3, 4, 5, 6]", gsub("a thing", "a windmill", small_suite)),
    c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R, seconds: 4, at_once: 6}",
      "pipelines:",
      "  - {id: one, engine: mixer}"
    )
  )
  writeLines(mixing, file.path(folder, "mixer.R"))
  hosts <- local_hosts(3, folder)
  undisturbed <- run_trial(folder, "alone", workers = 2)$takes
  port <- httpuv::randomPort()
  file <- workers_file("here: 0", paste0("listen: \"", hosts$address, ":", port, "\""))
  process <- start_run(folder, "--workers", file)
  withr::defer(process$kill_tree())
  wait_until(file.exists(file.path(folder, "runs", "main", "join.sh")))
  # A host sees nothing of the trial; the script is brought to it.
  script <- withr::local_tempfile(
    lines = readLines(file.path(folder, "runs", "main", "join.sh"))
  )
  hosts$join(1, script)
  second <- hosts$join(2, script)
  said_of_workers <- function() {
    unlist(lapply(events_of(folder), function(event) {
      if (event$event == "workers") event$message
    }))
  }
  wait_until(any(grepl("4 are there", said_of_workers())))
  hosts$cut(1)
  wait_until(count_events(folder, "made") >= 5)
  second$kill_tree()
  hosts$join(3, script)
  process$wait(240000)
  expect_equal(process$get_exit_status(), 0)
  expect_equal(outcome_of(folder, "main"), outcome_of(folder, "alone"))
  expect_gt(count_events(folder, "worker lost"), 0)
  expect_equal(count_events(folder, "made here"), 0)
  expect_equal(nrow(check_run(folder)), 0)
  expect_false(file.exists(file.path(folder, "runs", "main", "join.sh")))
  expect_match(
    paste(readLines(file.path(folder, "err.log")), collapse = "\n"),
    "workers: 0 here, 4 elsewhere"
  )
})

# Programs of these names that do what the real ones would, as far as a host is
# concerned, and write down how they were called.
local_launchers <- function(env = parent.frame()) {
  skip_on_cran()
  skip_on_os("windows")
  bin <- withr::local_tempdir(.local_envir = env)
  called <- file.path(bin, "called")
  writeLines(
    c(
      "#!/bin/sh",
      paste0("echo ssh \"$@\" | head -n 1 >> ", called),
      "for last; do :; done",
      "sh -c \"$last\" &"
    ),
    file.path(bin, "ssh")
  )
  writeLines(c("#!/bin/sh", "cat > $0.job", "sh $0.job &"), file.path(bin, "sbatch"))
  Sys.chmod(file.path(bin, c("ssh", "sbatch")), "755")
  withr::local_path(bin, "prefix", .local_envir = env)
  bin
}

yarrow_trial <- function(env = parent.frame()) {
  small_trial(
    gsub("a thing", "a windmill", small_suite),
    c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      "  - {id: firm, engine: yarrow, checkpoint: tide, hold: 0.9}"
    ),
    env = env
  )
}

test_that("SSH and schedulers start workers", {
  bin <- local_launchers()
  folder <- yarrow_trial()
  takes <- run_trial(
    folder,
    workers = workers_file(
      "here: 0",
      "listen: 127.0.0.1",
      "hosts:",
      "  - {ssh: \"ana@hut:2222\", processes: 1}"
    )
  )$takes
  expect_equal(unique(takes$state), "made")
  expect_equal(count_events(folder, "made here"), 0)
  # What only this machine reaches is brought to the host through its connection.
  expect_match(
    readLines(file.path(bin, "called")),
    "ssh -R .*:127.0.0.1:.* -fTp 2222 ana@hut Rscript"
  )
  host <- Sys.info()[["nodename"]]
  takes <- run_trial(
    folder,
    "b",
    workers = workers_file(
      "here: 0",
      paste0("listen: \"", host, "\""),
      "cluster: {command: sbatch, options: \"#SBATCH --mem=1G\"}"
    )
  )$takes
  expect_equal(unique(takes$state), "made")
  expect_match(readLines(file.path(bin, "sbatch.job")), "#SBATCH --mem=1G", all = FALSE)
  expect_identical(outcome_of(folder, "b")$scores, outcome_of(folder)$scores)
})

test_that("a worker of another version is given nothing, and said to be one", {
  bin <- local_launchers()
  # The same package under another version.
  library <- withr::local_tempdir()
  file.copy(system.file(package = "sprenn"), library, recursive = TRUE)
  meta <- file.path(library, "sprenn", "Meta", "package.rds")
  facts <- readRDS(meta)
  facts$DESCRIPTION[["Version"]] <- "0.0.1"
  saveRDS(facts, meta)
  ssh <- readLines(file.path(bin, "ssh"))
  writeLines(sub("^sh -c", paste0("R_LIBS=", library, " sh -c"), ssh), file.path(bin, "ssh"))
  folder <- yarrow_trial()
  made <- run_trial(
    folder,
    workers = workers_file(
      "here: 1",
      "listen: 127.0.0.1",
      "hosts:",
      "  - {ssh: hut, processes: 2}"
    )
  )
  expect_equal(unique(made$takes$state), "made")
  expect_match(made$turned_away, "has Sprenn 0.0.1, not ")
})

test_that("where nobody joins, the run goes on by itself", {
  skip_on_cran()
  folder <- yarrow_trial()
  takes <- run_trial(folder, workers = workers_file("here: 0", "listen: 127.0.0.1"))$takes
  expect_equal(unique(takes$state), "made")
})
