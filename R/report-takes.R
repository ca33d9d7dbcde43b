# The data for a report's script: the takes with their scores, and their previews.

# `page` is what is needed at once, of the `whole` run or of `jobs` alone;
# `cases` and `takes` are what case_pictures() wants.
# `edge` is how wide previews are, the smaller the more takes there are.
report_facts <- function(trial, jobs, verdicts, run, whole = TRUE, originals = NULL) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  takes <- shown_takes(store, trial, jobs, verdicts, whole)
  cases <- Filter(function(case) case$id %in% takes$case, trial$suite$cases)
  recipes <- with_settings(read_pipelines(store))
  recipes <- by_family(recipes[recipes$pipeline %in% takes$pipeline, ])
  takes$case <- match(takes$case, vapply(cases, `[[`, "", "id"))
  takes <- takes[order(takes$case, match(takes$pipeline, recipes$pipeline), takes$seed), ]
  colours <- family_colours(verdicts[[1]]$recipes)
  edge <- preview_edge(sum(takes$state == "made"))
  list(
    page = list(
      edge = edge,
      originals = originals,
      pipelines = lapply(seq_len(nrow(recipes)), function(i) {
        list(id = recipes$pipeline[i], colour = colours[[recipes$family[i]]])
      }),
      cases = lapply(cases, told_of_case, suite = trial$suite),
      takes = told_of_takes(takes, recipes$pipeline),
      lines = told_of_lines(jobs, verdicts, recipes)
    ),
    cases = cases,
    takes = takes,
    edge = edge
  )
}

# Few takes get previews large enough to judge; many must still fit into one file.
preview_edge <- function(n) {
  if (n <= 400) {
    384
  } else if (n <= 1500) {
    288
  } else {
    184
  }
}

# The takes proper with their axes and worth: those of each job by its own purpose, and of the
# `whole` run the rest too, by the first one, of which they have no worth.
shown_takes <- function(store, trial, jobs, verdicts, whole) {
  pipelines <- trial$lineup$pipelines$pipeline
  of_job <- function(brief) {
    table <- axes_of(store, trial, brief, takes_for(store, trial, brief, pipelines))
    add_worth(table, brief)
  }

  tables <- Map(
    function(job, verdict) new_table(of_job(verdict$brief), job = job),
    jobs,
    verdicts
  )
  if (!whole) {
    return(do.call(rbind, unname(tables)))
  }

  first <- verdicts[[1]]$brief
  first$job <- NA_character_
  rest <- of_job(first)
  rest <- rest[!rest$case %in% unlist(lapply(tables, `[[`, "case")), ]
  rest[c("keeper", "worth", "style")] <- list(NA, NA_real_, NA_real_)
  do.call(
    rbind,
    c(unname(tables), list(new_table(rest, job = "other")))
  )
}

told_of_case <- function(case, suite) {
  say <- function(phrases) I(vapply(phrases, `[[`, "", "say"))
  asked <- asked_phrases(case)
  unwanted <- vapply(asked, `[[`, NA, "unwanted")
  list(
    id = case$id,
    job = case$job,
    prompt = say(case$prompt),
    unwanted = say(asked[unwanted]),
    look = null_for_na(case$look),
    frame = I(case_frame(case, suite))
  )
}

# As columns, which are a third as long as rows.
told_of_takes <- function(takes, pipelines) {
  notes <- vapply(
    seq_len(nrow(takes)),
    function(i) {
      one <- takes[i, ]
      one$keeper <- !isFALSE(one$keeper)
      said <- cell_notes(one)
      if (one$state != "made" && !is.na(one$message)) {
        paste0(said, ": ", one$message)
      } else {
        said
      }
    },
    ""
  )
  score <- function(x) I(signif(x, 3))
  list(
    case = I(takes$case - 1L),
    pipeline = I(match(takes$pipeline, pipelines) - 1L),
    seed = I(takes$seed),
    state = I(takes$state),
    job = I(takes$job),
    keeper = I(takes$keeper),
    worth = score(takes$worth),
    structure = score(takes$structure),
    adherence = score(takes$adherence),
    style = score(takes$style),
    flawed = I(takes$flaws != "" | takes$slight != ""),
    notes = I(notes),
    cost = score(takes$cost),
    seconds = score(takes$seconds),
    file = I(takes$file)
  )
}

# The sweeps of each job, whose takes are shown below its curves.
told_of_lines <- function(jobs, verdicts, recipes) {
  found <- Map(
    function(job, verdict) {
      own <- tried_recipes(verdict)
      swept <- swept_settings(own)
      if (length(swept) == 0) {
        return(NULL)
      }

      lines <- sweep_lines(own, if ("hold" %in% swept) "hold" else swept[1])
      lapply(unique(lines$line), function(line) {
        rows <- lines[lines$line == line, ]
        list(
          job = job,
          line = line,
          vary = rows$vary[1],
          values = I(rows$value),
          pipelines = I(match(rows$pipeline, recipes$pipeline) - 1L)
        )
      })
    },
    jobs,
    verdicts
  )
  unlist(unname(found), recursive = FALSE)
}

# The previews of one case: `reference`, `look`, and by the number of the take `takes` and
# `overlays`; and what judges `found`. A picture that several takes share is there once.
case_pictures <- function(case, takes, trial, run, edge) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  overlays <- read_overlays_of_case(store, case$id)
  made <- which(takes$state == "made")
  frame <- case_frame(case, trial$suite)
  previews <- lapply(picture_paths(store, takes$file[made]), function(path) {
    preview(path, edge, frame)
  })
  list(
    reference = if (!is.null(case$reference)) {
      preview(fitted_reference(case, trial$suite), edge, frame)
    },
    look = I(vapply(
      if (is.na(case$look)) character() else unlist(trial$suite$looks[[case$look]]),
      preview,
      "",
      edge = edge,
      USE.NAMES = FALSE
    )),
    takes = previews,
    found = found_in_case(case, takes[made, ], trial, store),
    overlays = I(overlays$overlay[match(takes$take[made], overlays$take)])
  )
}

# A small JPEG (base64) of a file or of pixels; what an engine added around the frame is cut.
preview <- function(picture, edge, frame = NULL) {
  image <- magick::image_read(picture)
  if (!is.null(frame)) {
    own <- as.integer(magick::image_info(image)[1, c("width", "height")])
    place <- frame_inside(own, frame)
    if (any(place[3:4] != own)) {
      image <- magick::image_crop(
        image,
        sprintf("%dx%d+%d+%d", place[3], place[4], place[1], place[2])
      )
    }
  }

  small <- magick::image_resize(image, sprintf("%dx%d>", edge, edge))
  gsub(
    "\n",
    "",
    jsonlite::base64_enc(
      magick::image_write(
        magick::image_background(small, "#b9b9b9"),
        format = "jpeg",
        quality = if (edge > 300) 84 else 74
      )
    ),
    fixed = TRUE
  )
}

# Filled in by the script.
takes_section <- function() {
  tag <- htmltools::tags
  choice <- function(id, label, ...) tag$label(label, tag$select(id = id, ...))
  tag$section(
    id = "takes",
    `data-part` = "cases",
    tag$h2("Cases"),
    tag$noscript(
      tag$p(
        "The takes are shown by a script that comes with this file; here scripts are turned off."
      )
    ),
    tag$form(
      id = "filters",
      hidden = NA,
      choice("f-case", "case"),
      choice("f-pipeline", "pipeline"),
      choice("f-seed", "seed"),
      choice(
        "f-show",
        "show",
        tag$option(value = "all", "all takes"),
        tag$option(value = "keepers", "keepers"),
        tag$option(value = "others", "not keepers"),
        tag$option(value = "failed", "failed or refused"),
        tag$option(value = "flawed", "with flaws")
      ),
      choice(
        "f-sort",
        "in order of",
        tag$option(value = "pipeline", "pipeline"),
        tag$option(value = "worth", "worth"),
        tag$option(value = "structure", "structure"),
        tag$option(value = "adherence", "adherence"),
        tag$option(value = "style", "style")
      ),
      tag$button(type = "button", id = "f-clear", "show all"),
      tag$span(id = "count", role = "status")
    ),
    tag$p(
      class = "soft keys",
      hidden = NA,
      paste0(
        "Click a take to open it beside its reference. Tick the box in its corner to ",
        "compare it with others of its case."
      )
    ),
    tag$div(id = "cases")
  )
}

# `found` is whether a judge of the run finds things.
compare_dialog <- function(found) {
  tag <- htmltools::tags
  button <- function(id, label, key, ...) {
    tag$button(type = "button", id = id, title = paste0("key ", key), label, ...)
  }

  tag$dialog(
    id = "compare",
    `aria-labelledby` = "compare-title",
    tag$div(
      class = "bar",
      tag$h2(id = "compare-title"),
      button("earlier", "previous", "\u2190"),
      button("later", "next", "\u2192"),
      button("nearer", "zoom in", "+"),
      button("further", "zoom out", "-"),
      button("whole", "whole", "0"),
      button("wiping", "wipe", "w", `aria-pressed` = "false"),
      button("next-wipe", "other pair", "e", disabled = NA),
      tag$label(
        "overlay",
        tag$select(
          id = "overlay",
          tag$option(value = "none", "none"),
          tag$option(value = "contours", "where contours agree"),
          tag$option(value = "details", "vanished and new"),
          if (found) tag$option(value = "found", "what judges found")
        )
      ),
      button("close", "close", "Esc")
    ),
    tag$p(id = "compare-asked"),
    tag$div(id = "stage"),
    wipe_part(),
    tag$p(class = "soft", id = "overlay-words"),
    tag$p(
      class = "soft",
      paste0(
        "\u2190 \u2192 next take, + - zoom, 0 fit, w wipe, e other pair, o overlay, r (held) ",
        "shows the reference over all, Esc closes. Drag or turn the wheel to move and zoom all ",
        "pictures."
      )
    )
  )
}
