# A disk that is full or read-only, a process that is stopped, a clock that jumps, at a random time
# of a run; and a database that is restarted under it. Once all is well again, the same command
# completes the run as if nothing had been.

can_mount <- function() {
  place <- tempfile("mount-", work)
  dir.create(place)
  works <- tryCatch(
    processx::run("mount", c("-t", "tmpfs", "tmpfs", place), error_on_status = FALSE)$status == 0,
    error = function(e) FALSE
  )
  if (works) {
    processx::run("umount", place)
  }

  works
}

# What a run left alone comes to.
calm_end <- function(trial, arguments) {
  run_command(c("run", trial, arguments), what = "a calm run")
  records_of(trial, file.path("runs", "main", "run.sqlite"))
}

complete_and_compare <- function(what, trial, arguments, wanted, ledger, paid, most) {
  status <- end_command(start_command(c("run", trial, arguments)), 120, paste0(what, ", again"))
  if (status != 0) {
    found(what, ": again, it ended with status ", status)
  } else if (records_of(trial, file.path("runs", "main", "run.sqlite")) != wanted) {
    found(what, ": it came to another end")
  }

  if (count_paid(ledger) - paid > most) {
    found(what, ": paid ", count_paid(ledger) - paid, " times, not ", most)
  }
}

# Fills a small disk, or makes it read-only, at a random time of the run.
break_disk <- function(how, number, bare, arguments, wanted, seconds, ledger, most) {
  what <- paste0(how, " disk ", number)
  disk <- tempfile("disk-", work)
  dir.create(disk)
  processx::run("mount", c("-t", "tmpfs", "-o", "size=40m", "tmpfs", disk))
  on.exit(processx::run("umount", c("-l", disk), error_on_status = FALSE))
  trial <- copy_folder(bare, file.path(disk, "trial"))
  paid <- count_paid(ledger)
  command <- start_command(c("run", trial, arguments))
  command$process$wait(1000 * runif(1, 0.2, 0.9) * seconds)
  filler <- file.path(disk, "filler")
  if (how == "full") {
    system2("dd", c("if=/dev/zero", paste0("of=", filler), "bs=64k"), stdout = FALSE, stderr = FALSE)
  } else {
    # The first time there are files that are being written.
    for (i in 1:100) {
      made <- processx::run("mount", c("-o", "remount,ro", disk), error_on_status = FALSE)
      if (made$status == 0 || !command$process$is_alive()) {
        break
      }

      Sys.sleep(0.05)
    }
  }

  end_command(command, 180, what)
  unlink(filler)
  processx::run("mount", c("-o", "remount,rw", disk), error_on_status = FALSE)
  complete_and_compare(what, trial, arguments, wanted, ledger, paid, most)
}

# Stops the process with SIGSTOP, so that its locks grow old, and lets it go on.
stop_and_go <- function(number, bare, arguments, wanted, seconds, ledger, most) {
  trial <- copy_folder(bare, tempfile("trial-", work))
  paid <- count_paid(ledger)
  command <- start_command(c("run", trial, arguments))
  command$process$wait(1000 * runif(1, 0.2, 0.9) * seconds)
  command$process$suspend()
  Sys.sleep(runif(1, 1, 8))
  # Another one that comes along meanwhile either waits outside or is let in; both is safe.
  other <- start_command(c("run", trial, arguments))
  other$process$wait(3000)
  command$process$resume()
  end_command(command, 180, paste("stopped", number))
  end_command(other, 180, paste("beside the stopped one", number))
  complete_and_compare(
    paste("stopped", number), trial, arguments, wanted, ledger, paid, most
  )
}

# A clock that is wrong by years, in this process alone.
jump_clock <- function(offset, bare, arguments, wanted, ledger, most) {
  trial <- copy_folder(bare, tempfile("trial-", work))
  paid <- count_paid(ledger)
  what <- paste("a clock off by", offset)
  command <- start_command(c("run", trial, arguments), before = c("faketime", "-f", offset))
  command$process$wait(1000 * runif(1, 1, 3))
  command$process$kill()
  complete_and_compare(what, trial, arguments, wanted, ledger, paid, most)
}

run_stages <- function(count) {
  running <- start_standins("bracken", seconds = 0.1, at_once = 4)
  on.exit(stop_standins(running))
  ledger <- running$ledgers[["bracken"]]
  bare <- write_base_trial(file.path(work, "bare"), running$addresses[["bracken"]])
  arguments <- c("--workers", "0")
  calm <- copy_folder(bare, file.path(work, "calm"))
  paid <- count_paid(ledger)
  seconds <- system.time(wanted <- calm_end(calm, arguments))[["elapsed"]]
  most <- count_paid(ledger) - paid
  done <- c(full = 0, "read-only" = 0, stopped = 0, clock = 0)
  mounts <- can_mount()
  for (i in seq_len(count)) {
    if (mounts) {
      for (how in c("full", "read-only")) {
        break_disk(how, i, bare, arguments, wanted, seconds, ledger, most)
        done[how] <- done[how] + 1
      }
    }

    stop_and_go(i, bare, arguments, wanted, seconds, ledger, most)
    done["stopped"] <- done["stopped"] + 1
    if (nzchar(Sys.which("faketime"))) {
      offset <- sample(c("-10y", "+10y", "-1d", "+90s", "-90s"), 1)
      jump_clock(offset, bare, arguments, wanted, ledger, most)
      done["clock"] <- done["clock"] + 1
    }
  }

  say(
    "stages: %d full disks, %d read-only, %d stopped, %d wrong clocks; %d finds",
    done["full"], done["read-only"], done["stopped"], done["clock"], length(finds)
  )
}
