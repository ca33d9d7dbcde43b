# The audit of a plan: where the comparison is unfair or can't tell what it seems to tell, and
# which limits it exceeds.

plan_notes <- function(trial, inputs = case_inputs(trial$suite)) {
  cases <- trial$suite$cases
  ids <- vapply(cases, `[[`, "", "id")
  judges <- trial$brief$judges
  unchecked <- vapply(
    cases,
    function(case) !case$neutral && !any(vapply(case$prompt, can_be_checked, NA, judges)),
    NA
  )
  unsure <- Filter(function(engine) !engine$about$repeatable, trial$lineup$engines)
  recipes <- planned_recipes(trial$lineup)
  c(
    if (any(unchecked)) {
      paste0(
        "No phrase of ", shorten_list(ids[unchecked]),
        " can be checked: adherence has no evidence there, and is left out of the choice. ",
        "`sprenn evidence TRIAL --draft` drafts checks."
      )
    },
    unfound_note(cases, judges),
    untold_flaws_note(cases, judges),
    lacking_note(judges),
    if (length(cases) < 3) {
      "Fewer than 3 cases: too few to generalise to other pictures."
    },
    if (length(trial$suite$seeds) < 2) {
      "Only one seed: luck can't be separated from a pipeline's effect."
    },
    if (length(unsure)) {
      paste0(
        listed(names(unsure)),
        if (length(unsure) > 1) " do" else " does",
        " not repeat a seed: takes differ each time."
      )
    },
    unseeded_note(unsure),
    paid_twice_note(trial$lineup$engines),
    if (length(unsure) &&
      length(setdiff(trial$lineup$controls, "repeat")) &&
      !"repeat" %in% trial$lineup$controls) {
      paste0(
        "The effect of inputs on ", listed(names(unsure)),
        " can't be told from controls without repeats: add repeat to `controls` ",
        "in lineup.yml."
      )
    },
    weak_spots(trial),
    aspect_note(trial),
    credit_note(recipes),
    contrast_note(recipes),
    same_note(trial$suite, inputs)
  )
}

# Whether a phrase has a probe, or a judge that is asked about it or looks for it.
can_be_checked <- function(phrase, judges) {
  looks <- length(phrase$find) > 0 && any(vapply(judges, finds_things, NA))
  length(phrase$probe) > 0 ||
    looks ||
    any(vapply(judges, inherits, NA, "sprenn_judge_of_phrases"))
}

finds_things <- function(judge) inherits(judge, "sprenn_judge_of_contents")

# What is to be found, and nobody looks for.
unfound_note <- function(cases, judges) {
  wanting <- Filter(
    function(case) any(vapply(asked_phrases(case), function(one) length(one$find) > 0, NA)),
    cases
  )
  if (length(wanting) && !any(vapply(judges, finds_things, NA))) {
    paste0(
      "The brief names no judge that looks for what `find` asks for in ",
      shorten_list(vapply(wanting, `[[`, "", "id")), ": name one of the kind local ",
      "(`sprenn judges --install` lists them)."
    )
  }
}

# Flaws that no judge tells of: without an answer there is none. What a server tells of is known
# only when it is asked.
untold_flaws_note <- function(cases, judges) {
  judges <- Filter(finds_things, judges)
  is_told <- function(flaw) {
    part <- parts_of_flaws[[flaw]]
    any(vapply(judges, function(judge) part %in% (judge$tells %||% part), NA))
  }
  wanted <- unique(unlist(lapply(cases, `[[`, "flaws")))
  untold <- Filter(Negate(is_told), wanted)
  if (length(untold)) {
    asking <- Filter(function(case) any(case$flaws %in% untold), cases)
    paste0(
      "No judge of the brief can find the flaws that ",
      shorten_list(vapply(asking, `[[`, "", "id")), " name (", listed(untold),
      "): nothing looks for them. Of the judges that can be installed, people finds number and ",
      "likeness, and letters finds lettering."
    )
  }
}

# Judges of this machine that can't start.
lacking_note <- function(judges) {
  lacking <- Filter(Negate(is.null), lapply(judges, function(judge) judge$lacks()))
  if (length(lacking)) {
    paste0(
      "What ", listed(names(lacking)), " would tell has no evidence: ",
      paste(unique(unlist(lacking)), collapse = "; "), "."
    )
  }
}

# A service that does not know a call again charges for it again.
paid_twice_note <- function(engines) {
  names <- names(Filter(asks_once, engines))
  if (length(names)) {
    paste0(
      listed(names), if (length(names) > 1) " do" else " does",
      " not know a call that comes twice. A take whose answer is lost, on its way or because the ",
      "run is killed, may have been paid for: it counts as failed, and `run --retry` pays again."
    )
  }
}

# Several pictures of one call, of engines that do not repeat seeds.
unseeded_note <- function(unsure) {
  several <- Filter(function(engine) seeds_a_call(engine) > 1, unsure)
  if (length(several)) {
    paste0(
      listed(names(several)), if (length(several) > 1) " return" else " returns",
      " several pictures a call, and they are given to the seeds in the order in which they come: ",
      "to these engines, seeds are only numbers of takes."
    )
  }
}

# Cases that differ in nothing that an engine is told.
same_note <- function(suite, inputs) {
  ids <- vapply(suite$cases, `[[`, "", "id")
  alike <- Filter(
    function(at) length(at) > 1,
    split(seq_along(ids), factor(inputs, unique(inputs)))
  )
  if (length(alike)) {
    paste0(
      "Cases that request the same: ",
      paste(vapply(alike, function(at) shorten_list(ids[at]), ""), collapse = "; "),
      "."
    )
  }
}

# Pipelines with all that is set in them, as results of a run have them, and their `jobs`.
planned_recipes <- function(lineup) {
  steps <- all_steps(lineup)
  recipes <- with_sets(
    steps[c("pipeline", "engine", "checkpoint", "hold", "sweep", "follows")],
    as.list(steps[set_columns])
  )
  recipes <- recipes[recipes$pipeline %in% lineup$pipelines$pipeline, ]
  recipes$jobs <- lineup$pipelines$jobs[match(recipes$pipeline, lineup$pipelines$pipeline)]
  recipes
}

# Pipelines on the same engines that differ in several things: a lead can't be credited to one of
# them. Guides are one thing, and so is the wording.
credit_note <- function(recipes) {
  alone <- is.na(recipes$sweep) | recipes$sweep == recipes$pipeline
  settings <- recipes$set
  engines <- vapply(
    settings,
    function(set) paste(set[grepl("(^|[.])engine$", names(set))], collapse = " "),
    ""
  )
  told <- character()
  for (one in which(alone)) {
    # Only what works on the same engines and meets the same cases is compared.
    others <- which(alone & seq_along(settings) > one & engines == engines[one])
    for (other in others) {
      differ <- settings_that_differ(settings[[one]], settings[[other]])
      differ <- unique(sub("^((steps[.][0-9]+[.])?[^.]+)[.].*$", "\\1", differ))
      if (length(differ) > 1 && any(recipes$jobs[[one]] %in% recipes$jobs[[other]])) {
        told <- c(
          told,
          paste0(
            recipes$pipeline[one], " and ", recipes$pipeline[other], " (",
            shorten_list(differ), ")"
          )
        )
      }
    }
  }

  if (length(told)) {
    paste0(
      "These differ in more than one setting, so a difference can't be attributed to one of ",
      "them: ",
      shorten_list(told),
      "."
    )
  }
}

# What can be credited: pipelines that differ in one thing, all else equal, and share a job.
contrast_note <- function(recipes) {
  sets <- stats::setNames(recipes$set, recipes$pipeline)
  found <- lapply(unique(unlist(recipes$jobs)), function(job) {
    find_contrasts(sets[vapply(recipes$jobs, function(own) job %in% own, NA)])
  })
  found <- do.call(rbind, found)
  if (nrow(found) == 0) {
    return(NULL)
  }

  each <- split(found, factor(found$vary, unique(found$vary)))
  said <- vapply(
    each,
    function(own) {
      values <- in_order(own$value)
      values[!nzchar(values)] <- "not set"
      # Long ones are combinations, such as all of a later step: their path says enough.
      short <- all(nchar(values) <= 16)
      paste0(own$vary[1], if (short) paste0(" (", shorten_list(values), ")"))
    },
    ""
  )
  paste0(
    "Some pipelines differ in one thing, all else equal: ", shorten_list(said, 6),
    ". `sprenn contrasts` tells what each does."
  )
}

settings_that_differ <- function(a, b) {
  names <- union(names(a), names(b))
  names[!vapply(names, function(name) identical(a[[name]], b[[name]]), NA)]
}

# References that engines see at different aspects: what one cuts off, another may
# show.
aspect_note <- function(trial) {
  steps <- trial$lineup$pipelines
  seen <- unique(steps[c("engine", "checkpoint")])
  if (nrow(seen) < 2) {
    return(NULL)
  }

  frames <- unique(lapply(trial$suite$cases, case_frame, suite = trial$suite))
  odd <- Filter(
    function(frame) {
      aspects <- vapply(
        seq_len(nrow(seen)),
        function(i) {
          size <- working_size(
            frame,
            trial$lineup$engines[[seen$engine[i]]]$about$checkpoints[[seen$checkpoint[i]]]
          )
          size[1] / size[2]
        },
        0
      )
      max(aspects) / min(aspects) > 1.02
    },
    frames
  )
  if (length(odd)) {
    paste0(
      "Engines work at different aspect ratios for ",
      shorten_list(vapply(odd, paste, "", collapse = " x ")),
      ": one is shown more of the reference's edges than another (`sprenn prepare` draws it)."
    )
  }
}

# Limits up to which a run starts without asking.
usual_limits <- list(takes = 5000, cost = 50, hours = 24, gigabytes = 20)

# How a plan exceeds the brief's limits, or the usual ones, in words; none if it does not. `done`
# is the part of the plan that is already made.
over_limits <- function(trial, plan, done = character()) {
  limits <- utils::modifyList(usual_limits, as.list(trial$brief$limits))
  todo <- plan[!plan$take %in% done, ]
  asked <- list(
    takes = nrow(todo),
    cost = sum(todo$price),
    hours = plan_seconds(todo, trial$lineup) / 3600,
    gigabytes = plan_bytes(trial, todo) / 1e9
  )
  over <- names(asked)[vapply(
    names(asked),
    function(name) isTRUE(asked[[name]] > limits[[name]]),
    NA
  )]
  words <- c(takes = "takes", cost = "in cost", hours = "hours", gigabytes = "GB of disk")
  stated <- over %in% names(trial$brief$limits)
  paste0(
    vapply(asked[over], function(x) format(signif(x, 3), big.mark = ","), ""),
    " ", words[over], ", over ",
    ifelse(stated, "the brief's limit of ", "the usual limit of "), unlist(limits[over]),
    recycle0 = TRUE
  )
}

# About how many bytes the pictures of a plan need.
plan_bytes <- function(trial, plan) {
  pixels <- vapply(
    trial$suite$cases,
    function(case) prod(as.numeric(case_frame(case, trial$suite))),
    0
  )
  names(pixels) <- vapply(trial$suite$cases, `[[`, "", "id")
  sum(pixels[plan$case]) * 1.8
}
