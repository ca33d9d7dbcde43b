# The commands for evidence of what was asked for: probes of pictures, and judges.

evidence_commands <- function() {
  list(
    probe = new_command(
      "Try a probe on a picture.",
      c("PICTURE", "PROBE"),
      list(
        new_option(
          "mask",
          "character",
          NULL,
          "a picture for the places inside mask and outside mask",
          "FILE"
        ),
        new_option(
          "look",
          "character",
          NULL,
          "for nearness: a picture of the look; separate several with commas",
          "FILES"
        ),
        new_option(
          "trial",
          "character",
          NULL,
          "with --case: the trial that has the mask, watched regions and looks",
          "TRIAL"
        ),
        new_option(
          "case",
          "character",
          NULL,
          "with --trial: the case that the picture is a take of",
          "ID"
        ),
        new_option(
          "explain",
          "character",
          NULL,
          "draw what counted as a PNG or SVG file",
          "FILE"
        ),
        json_option()
      ),
      cli_probe,
      examples = c(
        "sprenn probe take.png \"colour: teal, where: top third, share: at least 0.3\"",
        "sprenn probe take.png \"colour: red, patches: between 2 and 4\" --explain why.png"
      )
    ),
    judges = new_command(
      "List the brief's judges, try them on one picture, or install some.",
      c("[TRIAL]", "[NAME...]"),
      list(
        new_option(
          "install",
          "logical",
          FALSE,
          "install the judges NAME...; without one, list those that there are"
        ),
        new_option("try", "logical", FALSE, "ask each about one picture of a case"),
        new_option(
          "case",
          "character",
          NULL,
          "with --try: which case [the first with a reference and a prompt]",
          "ID"
        ),
        new_option(
          "picture",
          "character",
          NULL,
          "with --try: the picture [the case's reference]",
          "FILE"
        ),
        new_option(
          "out",
          "character",
          NULL,
          "with --try: draw what was found as a PNG or SVG file [found.png in TRIAL]",
          "FILE"
        ),
        json_option()
      ),
      cli_judges,
      examples = c(
        "sprenn judges brackwater --try --case windmill-linocut",
        "sprenn judges --install"
      ),
      note = "Judges that are installed run on this machine, and need Node.js: docs/judges.md."
    ),
    viewing = new_command(
      "Have people judge takes blind, on a page served by this machine.",
      "TRIAL",
      list(
        run_option(),
        new_option("job", "character", NULL, "show only cases of this job [all]", "JOB"),
        new_option(
          "singles",
          "logical",
          FALSE,
          "show single takes to keep or reject, instead of pairs"
        ),
        new_option(
          "ballots",
          "integer",
          30L,
          "how many answers each person is asked for [%default]",
          "N"
        ),
        new_option(
          "pick",
          "logical",
          FALSE,
          "show the most informative pairs, given all answers so far"
        ),
        serving_options()$port,
        serving_options()$seconds,
        new_option("results", "logical", FALSE, "only show the results so far"),
        figure_option(),
        size_option(),
        json_option("the results as JSON")
      ),
      cli_viewing,
      examples = "sprenn viewing brackwater --job restyle --pick",
      note = "Press Ctrl-C to stop; every answer is already saved."
    ),
    evidence = new_command(
      "List which phrases have evidence, from which sources; or draft checks of them.",
      "TRIAL",
      list(
        run_option(),
        new_option(
          "draft",
          "logical",
          FALSE,
          "read the prompts, and write the checks that they allow into suite.yml"
        ),
        cases_option(),
        json_option()
      ),
      cli_evidence,
      examples = c(
        "sprenn evidence brackwater",
        "sprenn evidence my-trial --draft"
      ),
      note = paste0(
        "Drafted checks are marked. They count as drafted until you edit them, and `sprenn check` ",
        "lists them."
      )
    ),
    influence = new_command(
      "Measure what prompt, reference, look and guide really do.",
      "TRIAL",
      list(
        run_option(),
        figure_option(),
        size_option(),
        json_option()
      ),
      cli_influence,
      examples = "sprenn influence brackwater --out influence.png",
      note = "It needs control takes: controls: [swapped_prompt, no_look] in lineup.yml."
    )
  )
}

cli_probe <- function(given) {
  found <- probe_picture(
    given$places[1],
    given$places[2],
    given$mask,
    split_files(given$look),
    given$trial,
    given$case
  )
  if (given$json) {
    probe <- found$probe
    bound <- replace(probe$bound, is.infinite(probe$bound), NA)
    tell_json(
      Filter(
        Negate(is.null),
        list(
          measure = probe$measure,
          where = probe$where,
          colour = probe$colour,
          look = probe$look,
          at_least = null_for_na(bound[1]),
          at_most = null_for_na(bound[2]),
          number = found$number,
          grade = found$grade
        )
      )
    )
  } else {
    cat(format(found), sep = "\n")
  }

  if (!is.null(given$explain)) {
    save_row(ggplot2::autoplot(found), given$explain)
    if (!given$json) {
      cat("Drawn in ", given$explain, ": what counted.\n", sep = "")
    }
  }

  0L
}

cli_evidence <- function(given) {
  if (given$draft && given$run != "main") {
    stop_sprenn(
      "usage",
      c(
        "`sprenn evidence --draft` takes no --run.",
        i = "Checks are drafted into suite.yml, which all runs of the trial share."
      )
    )
  }

  if (given$draft) {
    return(cli_draft_evidence(given))
  }

  if (!is.null(given$case)) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn evidence --case` needs --draft.",
        i = "Without it, evidence is listed of all cases; --json has it by case."
      )
    )
  }

  found <- list_evidence(read_shown(given$places, ask = FALSE), given$run)
  if (given$json) {
    parts <- c("coverage", "phrases", "pipelines", "agreement", "beliefs", "shown", "judges")
    return(tell_json(found[parts]))
  }

  cat(format(found), sep = "\n")
  0L
}

cli_draft_evidence <- function(given) {
  drafts <- draft_evidence(given$places, split_files(given$case))
  if (given$json) {
    return(tell_json(list(phrases = drafts)))
  }

  why <- c(
    own = "has a check of your own",
    "for a judge" = "pixels don't tell; a judge may",
    unread = "not understood"
  )
  said <- ifelse(drafts$part == "negative", unwanted_key(drafts$phrase), drafts$phrase)
  notes <- ifelse(drafts$state == "drafted", drafts$check, unname(why[drafts$state]))
  read <- ifelse(is.na(drafts$read_as), "", paste0(drafts$read_as, " "))
  lines <- paste0(said, " -> ", read, "(", notes, ")", recycle0 = TRUE)
  for (i in seq_along(lines)) {
    if (i == 1 || drafts$case[i] != drafts$case[i - 1]) {
      cat(drafts$case[i], ":\n", sep = "")
    }

    cat(strwrap(lines[i], 100, initial = "  ", prefix = "      "), sep = "\n")
  }

  cli_draft_watch(given)
  new <- sum(drafts$state == "drafted")
  cat(
    "\nChecks drafted for ", new, " of ", count_words(nrow(drafts), "phrase"), " in ",
    file.path(given$places, "suite.yml"),
    if (new > 0) ". Read each one: it counts as drafted until you edit it.\n" else ".\n",
    sep = ""
  )
  if (new > 0) {
    next_steps(paste("sprenn check", shell_path(given$places)))
  }

  0L
}

# Regions are drafted where a judge of the brief can look for faces.
cli_draft_watch <- function(given) {
  if (length(judges_of_faces(read_trial_file(given$places, "brief.yml")$value$judges)) == 0) {
    return(invisible())
  }

  regions <- tryCatch(
    draft_watch(given$places, split_files(given$case)),
    sprenn_error_draft = function(e) conditionMessage(e),
    sprenn_error_trial = function(e) {
      "The trial has problems, which `sprenn check` lists: correct them and draft again."
    }
  )
  if (is.character(regions)) {
    said <- gsub("\n", " ", regions, fixed = TRUE)
    cat("", strwrap(paste("References were not searched for faces.", said), 100), sep = "\n")
  } else if (NROW(regions)) {
    each <- split(regions, factor(regions$case, unique(regions$case)))
    cat("\nFaces to watch, found in references:\n")
    cat(paste0("  ", names(each), ": ", vapply(each, boxes_in_words, "")), sep = "\n")
  }
}

boxes_in_words <- function(regions) {
  boxes <- apply(as.matrix(regions[box_names]), 1, paste, collapse = ", ")
  paste0(regions$region, " [", boxes, "]", collapse = "; ")
}

cli_influence <- function(given) {
  found <- measure_influence(read_shown(given$places, ask = FALSE), given$run)
  show_found(
    found,
    c("inputs", "conflicts"),
    given,
    function() draw_influence(found),
    250 + 32 * length(unique(found$inputs$pipeline))
  )
}

cli_viewing <- function(given) {
  trial <- read_shown(given$places)
  found <- if (given$results) {
    read_viewing(trial, given$run)
  } else {
    view_takes(
      trial,
      given$run,
      if (given$singles) "singles" else "pairs",
      given$ballots,
      given$pick,
      given$job,
      given$port,
      given[["for"]],
      ready = tell_address(given, ", one window per person")
    )
  }
  show_found(
    found,
    names(found),
    given,
    function() draw_agreement(found),
    240 + 28 * max(NROW(found$strengths), NROW(found$measures))
  )
}
