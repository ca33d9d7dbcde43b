# The commands about a choice: which pipeline, why, and what if.

choosing_commands <- function() {
  run <- run_option()
  job <- job_option()
  out <- figure_option()
  size <- size_option()
  json <- json_option()
  vary <- new_option(
    "vary",
    "character",
    NULL,
    "the setting to plot along [hold, or the first that was swept]",
    "SETTING"
  )
  list(
    choose = new_command(
      "Say which pipeline to use, how sure that is, and what would change it.",
      "TRIAL",
      list(
        run,
        job,
        new_option("brief", "character", NULL, "use another brief than the trial's", "FILE"),
        new_option(
          "without",
          "character",
          NULL,
          "leave out engines or pipelines; separate several with commas",
          "NAMES"
        ),
        new_option(
          "if",
          "character",
          NULL,
          "try other weights of the axes: structure=0.6,style=0.1; the others share the rest",
          "WEIGHTS"
        ),
        out,
        size,
        json
      ),
      cli_choose,
      examples = c(
        "sprenn choose brackwater --job restyle --if structure=0.6",
        "sprenn choose brackwater --without bracken"
      )
    ),
    explain = new_command(
      "Explain one pipeline in detail.",
      c("TRIAL", "PIPELINE"),
      list(run, job, json),
      cli_explain,
      examples = "sprenn explain brackwater sorrel --job restyle"
    ),
    curves = new_command(
      "Show how scores respond to a setting that was swept.",
      "TRIAL",
      list(run, job, vary, out, size, json),
      cli_curves,
      examples = "sprenn curves brackwater --job restyle --out curves.png"
    ),
    match = new_command(
      "Compare engines at equal structure.",
      "TRIAL",
      list(
        run,
        job,
        vary,
        new_option(
          "at",
          "double",
          NULL,
          "the structure to compare at, 0 to 1 [the middle of the range that most reach]",
          "SHARE"
        ),
        out,
        size,
        json
      ),
      cli_match,
      examples = "sprenn match brackwater --job restyle --at 0.6"
    ),
    contrasts = new_command(
      "Compare pipelines that differ in one thing, all else equal.",
      "TRIAL",
      list(
        run,
        job,
        new_option(
          "vary",
          "character",
          NULL,
          "what differs: a path such as guides, wording.after or engine [all there is]",
          "PATH"
        ),
        out,
        size,
        json
      ),
      cli_contrasts,
      examples = "sprenn contrasts brackwater --job restyle --vary guides"
    ),
    compare = new_command(
      "Show what has changed between two runs of a suite.",
      c("TRIAL", "OLD", "NEW"),
      list(
        job,
        new_option(
          "confidence",
          "double",
          0.95,
          "joint confidence of all reported changes [%default]",
          "SHARE"
        ),
        new_option("strict", "logical", FALSE, "exit with status 1 if anything has changed"),
        new_option(
          "out",
          "character",
          NULL,
          "a page (.html) with the takes that changed most, or a figure as for choose",
          "FILE"
        ),
        size,
        json
      ),
      cli_compare,
      examples = c(
        "sprenn compare brackwater main november --strict",
        "sprenn compare brackwater main november --out changes.html"
      )
    )
  )
}

cli_choose <- function(given) {
  trial <- read_shown(given$places, ask = FALSE)
  brief <- given$brief
  jobs <- given$job %||% brief_jobs(
    if (is.null(brief)) trial$brief else read_brief(brief, trial$suite)
  )
  verdicts <- lapply(jobs, function(job) {
    choose_pipeline(
      trial,
      given$run,
      if (!is.na(job)) job,
      brief,
      split_files(given$without),
      read_weights(given[["if"]])
    )
  })
  if (given$json) {
    tell_json(lapply(verdicts, verdict_data))
  } else {
    for (i in seq_along(jobs)) {
      if (length(jobs) > 1) {
        cat(cli::rule(jobs[i]), "\n", sep = "")
      }

      cat(colour_headline(format(verdicts[[i]]), verdicts[[i]]), sep = "\n")
      if (length(jobs) > 1) {
        cat("\n")
      }
    }

    disagreement <- disagreement_words(jobs, verdicts)
    if (length(disagreement)) {
      cat(strwrap(disagreement, 100), sep = "\n")
    }
  }

  if (!is.null(given$out)) {
    size <- read_size(given$size)
    width <- if (is.null(size)) 1280 else paper_pixels(size[1])
    save_drawing(tradeoff_figure(verdicts[[1]], width), given)
  }

  if (!given$json) {
    next_steps(c(
      paste("sprenn sheet", shell_path(given$places), run_flag(given$run)),
      paste("sprenn report", shell_path(given$places), run_flag(given$run))
    ))
  }

  0L
}

# structure=0.6,style=0.1
read_weights <- function(words) {
  if (is.null(words)) {
    return(NULL)
  }

  parts <- strsplit(trimws(strsplit(words, ",", fixed = TRUE)[[1]]), "=", fixed = TRUE)
  number <- suppressWarnings(vapply(
    parts,
    function(part) if (length(part) == 2) as.numeric(part[2]) else NA_real_,
    0
  ))
  if (anyNA(number) || any(number < 0 | number > 1)) {
    stop_sprenn(
      "usage",
      c(
        paste0("--if has ", quoted(words), "; expected an axis and a weight from 0 to 1."),
        i = "--if structure=0.6, or separate several with commas."
      )
    )
  }

  stats::setNames(number, vapply(parts, function(part) trimws(part[1]), ""))
}

# A verdict as data.
verdict_data <- function(verdict) {
  if (is.null(verdict$pipelines)) {
    return(list(
      state = verdict$state,
      job = null_for_na(verdict$brief$job),
      words = as.list(format(verdict))
    ))
  }

  list(
    state = verdict$state,
    job = null_for_na(verdict$brief$job),
    run = verdict$run,
    best = verdict$best,
    confidence = null_for_na(verdict$confidence),
    wanted = verdict$brief$confidence,
    runner_up = null_for_na(verdict$runner_up),
    margin = if (!is.na(verdict$runner_up)) {
      stats::setNames(as.list(verdict$margin), c("lead", "low", "high"))
    },
    weights = as.list(verdict$brief$weights),
    floors = Filter(Negate(is.na), as.list(verdict$brief$floors)),
    coverage = null_for_na(verdict$coverage),
    pipelines = verdict$pipelines,
    pairs = verdict$pairs,
    tradeoff = verdict$tradeoff,
    flips = verdict$flips,
    needed = verdict$needed,
    cases = verdict$cases,
    useful = null_for_na(verdict$useful %||% NA_character_),
    recipe = as.list(recipe_words(verdict)),
    words = verdict_words(verdict)
  )
}

cli_explain <- function(given) {
  trial <- read_shown(given$places[1], ask = FALSE)
  found <- explain_pipeline(trial, given$places[2], given$run, given$job)
  show_found(
    found,
    c("pipeline", "standing", "against", "cases", "problems", "flip", "stages", "influence"),
    given
  )
}

cli_curves <- function(given) {
  found <- response_curves(read_shown(given$places, ask = FALSE), given$run, given$job, given$vary)
  show_found(found, c("vary", "curves", "features", "settings"), given, function() {
    draw_curve(found$verdict, found$vary)
  })
}

cli_match <- function(given) {
  trial <- read_shown(given$places, ask = FALSE)
  found <- match_engines(trial, given$run, given$job, given$vary, given$at)
  show_found(found, c("at", "vary", "table", "levels", "areas"), given, function() {
    draw_match(found)
  })
}

cli_contrasts <- function(given) {
  trial <- read_shown(given$places, ask = FALSE)
  found <- list_contrasts(trial, given$run, given$job, given$vary)
  show_found(found, c("contrasts", "differences"), given, function() {
    draw_contrasts(found)
  }, height_of_contrasts(found))
}

cli_compare <- function(given) {
  trial <- read_shown(given$places[1], ask = FALSE)
  found <- compare_runs(
    trial,
    given$places[2],
    given$places[3],
    given$job,
    given$confidence
  )
  as_page <- grepl("[.]html?$", given$out %||% "", ignore.case = TRUE)
  show_found(
    found,
    c("runs", "common", "confidence", "scores", "pictures", "takes", "versions", "only"),
    if (as_page) utils::modifyList(given, list(out = NULL)) else given,
    function() draw_changes(found),
    changes_height(found)
  )
  if (as_page) {
    write_changes(found, trial, given$out)
    if (!given$json) {
      cat("Written: ", given$out, ".\n", sep = "")
    }
  }

  as.integer(given$strict && nrow(told_changes(found)) + sum(found$pictures$silent) > 0)
}

# Prints a result in words or as JSON, and draws it if a file is named.
show_found <- function(found, parts, given, draw = NULL, height = 640) {
  if (given$json) {
    tell_json(unclass(found)[parts])
  } else {
    cat(format(found), sep = "\n")
  }

  if (!is.null(given$out)) {
    save_drawing(draw(), given, height)
  }

  0L
}

save_drawing <- function(figure, given, height = 640) {
  size <- read_size(given$size)
  if (!tolower(tools::file_ext(given$out)) %in% figure_endings) {
    stop_sprenn("usage", c(
      paste0("A figure can't be drawn in ", given$out, "."),
      i = paste0("Its ending may be ", shorten_list(paste0(".", figure_endings), 8), ".")
    ))
  }

  save_figure(figure, given$out, 1280, height, size = size)
  if (!isTRUE(given$json)) {
    cat("Drawn in ", given$out, ".\n", sep = "")
    if (!is.null(size) && nzchar(caption_of(figure))) {
      cat(strwrap(paste("Its caption may say:", caption_of(figure)), 100, exdent = 2), sep = "\n")
    }
  }
}

# A width or width and height on paper, such as 84mm or 84x60mm, in millimetres; NULL if none is
# given.
read_size <- function(words) {
  if (is.null(words)) {
    return(NULL)
  }

  form <- "^([0-9.]+)(x([0-9.]+))?(mm|cm|in)$"
  parts <- regmatches(words, regexec(form, words))[[1]]
  sides <- suppressWarnings(as.numeric(parts[c(2, 4)]))
  sides <- sides * c(mm = 1, cm = 10, `in` = 25.4)[parts[5]]
  if (length(parts) == 0 || is.na(sides[1]) || any(sides < 30 | sides > 1000, na.rm = TRUE)) {
    stop_sprenn("usage", c(
      paste0("--size: found ", quoted(words), "."),
      i = "Wanted the width on paper, or width and height: 84mm, 84x60mm, 3.3in; 30 to 1000 mm."
    ))
  }

  unname(sides)
}
