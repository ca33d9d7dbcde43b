# Made-up suites, lineups and briefs as nested lists, sound and broken, from a
# seed: for round trips, fingerprints and the schemas.

pick <- function(...) {
  options <- list(...)
  options[[sample(length(options), 1)]]
}

maybe <- function(value, chance = 0.5) if (stats::runif(1) < chance) value
share <- function(from = 0, to = 1) round(stats::runif(1, from, to), 3)

some_text <- function() {
  pick(
    "a windmill on a hill",
    "two kites, far off",
    "no: colon",
    "#hash first",
    "- dash",
    "yes",
    "null",
    "007",
    "1e3",
    "it's \"quoted\"",
    "\u00c4rger im Kornfeld",
    "\u98a8\u8eca",
    "tab\there",
    "line\nbreak",
    "trailing ",
    " leading",
    "{brace",
    "a [b] c",
    "!tag",
    "&anchor",
    "*star",
    "100%",
    "~",
    "emoji \U0001F3DD"
  )
}

some_box <- function() list(share(0, 0.4), share(0, 0.4), share(0.5, 1), share(0.5, 1))
drop_null <- function(x) x[!vapply(x, is.null, NA)]

some_reference <- function(plain = 0.4) {
  path <- paste0("references/", pick("one", "two", "three"), ".png")
  if (stats::runif(1) < plain) {
    return(path)
  }

  drop_null(list(
    picture = path,
    fit = maybe(pick("crop", "pad", "stretch", "extend")),
    focus = maybe(list(share(), share())),
    box = maybe(list(-0.1, 0.05, 0.9, 1.2), 0.3),
    fill = maybe(pick("black", "grey", "white", "#a0b1C2")),
    backdrop = maybe("#000000", 0.2)
  ))
}

some_phrase <- function() {
  if (stats::runif(1) < 0.4) {
    return(some_text())
  }

  probe <- pick(
    NULL,
    list(
      colour = pick("teal", "#12ab34"),
      share = pick("at least 0.3", "between 0.2 and 0.5", "at most .9"),
      where = pick("top third", list(0, 0, 0.5, 0.5))
    ),
    list(brightness = "at most 0.4"),
    list(monochrome = "at least 1.0", where = "whole"),
    list(colour = "red", patches = pick(2, "at least 3", "between 0 and 7")),
    list(busy = "at most 0.3", where = "border"),
    list(look = "oils", nearness = "at least 0.2")
  )
  drop_null(list(
    say = some_text(),
    weight = maybe(share(0, 4)),
    ask = maybe(some_text(), 0.2),
    must = maybe(TRUE, 0.2),
    probe = probe
  ))
}

some_case <- function(id) {
  job <- sample(c("restyle", "vary", "repair", "swap", "edit", "extend", "blend", "fresh"), 1)
  masked <- job == "edit" || (job %in% c("repair", "swap") && stats::runif(1) < 0.5)
  weigh <- function(reference) {
    if (is.list(reference)) {
      c(reference, list(weight = share(0, 4)))
    } else {
      reference
    }
  }

  computed <- function() {
    pick(
      share(0, 2),
      drop_null(list(
        weight = maybe(share(0, 2)),
        release = share(),
        picture = maybe("masks/half.png", 0.3)
      ))
    )
  }

  drop_null(list(
    id = id,
    job = job,
    reference = if (!job %in% c("blend", "fresh")) some_reference(),
    references = if (job == "blend") {
      replicate(sample(2:4, 1), weigh(some_reference()), simplify = FALSE)
    },
    look = maybe(pick("oils", list(name = "oils", weight = share(0, 2)))),
    prompt = pick(
      "neutral",
      some_text(),
      replicate(sample(1:4, 1), some_phrase(), simplify = FALSE)
    ),
    negative = maybe(
      list(
        some_text(),
        list(say = some_text(), probe = list(colour = "red", share = "at least 0.1"))
      ),
      0.3
    ),
    guides = if (job != "fresh") {
      maybe(
        drop_null(list(
          edges = maybe(computed()),
          soft_edges = maybe(computed()),
          areas = computed(),
          depth = maybe(list(picture = "masks/half.png", near = "dark"), 0.3)
        )),
        0.4
      )
    },
    mask = if (masked) {
      pick(
        "masks/half.png",
        drop_null(list(
          picture = "masks/half.png",
          invert = maybe(TRUE),
          feather = maybe(8),
          padding = maybe(20)
        )),
        list(boxes = list(some_box(), some_box()), feather = 3)
      )
    },
    grow = if (job == "extend") {
      drop_null(list(left = share(0.1, 0.5), top = maybe(share(0, 0.4)), bottom = maybe(0.2)))
    },
    watch = if (job != "fresh") {
      maybe(
        list(
          sails = list(box = some_box(), keep = share()),
          "the \u00dcberrest" = list(mask = "masks/half.png")
        ),
        0.3
      )
    }
  ))
}

some_suite <- function(seed, cases = 4) {
  withr::with_seed(seed, {
    drop_null(list(
      suite = "made-up",
      title = maybe(some_text()),
      seeds = as.list(as.numeric(sample(1e6, 3))),
      size = maybe(pick(list(96, 64), 96)),
      looks = list(oils = list(pictures = list("references/two.png", "references/three.png"))),
      cases = lapply(paste0("case-", seq_len(cases)), some_case)
    ))
  })
}

some_lineup <- function(seed) {
  withr::with_seed(seed, {
    step <- function() {
      drop_null(list(
        engine = "mixer",
        checkpoint = maybe("plain"),
        hold = share(),
        settings = maybe(list(tint = share())),
        add_ons = maybe(list(grain = 0.5), 0.3)
      ))
    }

    drop_null(list(
      engines = list(
        mixer = pick(
          list(kind = "function", file = "mixer.R"),
          list(kind = "function", call = "a::b")
        )
      ),
      pipelines = list(
        c(list(id = "a"), step()),
        c(list(id = "b", jobs = list("restyle", "vary"), if_missing = "drop"), step()),
        pick(
          c(list(id = "c"), step()),
          list(id = "c", steps = list(step(), step())),
          list(id = "c", like = "a", hold = 0.1)
        )
      ),
      sweeps = maybe(list(
        pick(
          list(vary = "hold", of = "a", over = list(0.1, 0.4)),
          list(of = "a", grid = list(hold = list(0.2, 0.3), tint = list(0, 1)))
        )
      )),
      controls = maybe(list("blank_prompt", "repeat"))
    ))
  })
}

some_brief <- function(seed) {
  withr::with_seed(seed, {
    purpose <- function() {
      drop_null(list(
        weights = list(structure = share(), style = 1),
        floors = maybe(list(structure = share())),
        style = maybe(pick("stay", "reach the look", list(change = list(0.2, 0.9))))
      ))
    }

    rest <- drop_null(list(confidence = maybe(0.8), draws = maybe(500), seed = maybe(7)))
    c(
      list(brief = "what it is for"),
      pick(purpose(), list(purposes = list(restyle = purpose(), repair = purpose()))),
      rest
    )
  })
}

some_workers <- function(seed) {
  withr::with_seed(seed, {
    host <- function() {
      drop_null(list(
        ssh = pick("hut", "ana@hut", "ana@10.0.0.7:22"),
        processes = maybe(4),
        rscript = maybe("/opt/R/bin/Rscript")
      ))
    }

    drop_null(list(
      here = pick(0, 2),
      listen = maybe(pick("127.0.0.1", "hut.example:7000", "[fe80::1]:7000")),
      hosts = maybe(list(host(), host())),
      cluster = maybe(
        drop_null(list(
          command = pick("sbatch", "qsub", "bsub"),
          processes = maybe(8),
          options = maybe("#SBATCH --mem=4G")
        ))
      )
    ))
  })
}

# One thing about a nested list made wrong: a key lost or misspelt, a value of
# another type or beyond its range.
break_it <- function(value, seed) {
  withr::with_seed(seed, {
    places <- list()
    walk <- function(x, at) {
      places[[length(places) + 1]] <<- at
      if (is.list(x)) {
        for (i in seq_along(x)) {
          walk(x[[i]], c(at, i))
        }
      }
    }

    for (i in seq_along(value)) {
      walk(value[[i]], i)
    }

    at <- places[[sample(length(places), 1)]]
    above <- if (length(at) > 1) value[[at[-length(at)]]] else value
    last <- at[length(at)]
    new <- pick(
      list(-99.5),
      list("nonsense of a length that no name has, with spaces and more in it, truly"),
      list(list()),
      list(TRUE),
      list(list(oddly = "keyed")),
      "lose",
      "misspell"
    )
    if (identical(new, "lose")) {
      above[[last]] <- NULL
    } else if (identical(new, "misspell") && !is.null(names(above))) {
      names(above)[last] <- paste0(names(above)[last], "x")
    } else {
      above[last] <- if (is.list(new)) new else list(list(1, "two", list(3)))
    }

    if (length(at) > 1) {
      value[[at[-length(at)]]] <- above
    } else {
      value <- above
    }

    value
  })
}

# The small trial's folder with a mask beside its references, for made-up suites.
made_up_trial <- function(suite, env = parent.frame()) {
  folder <- small_trial(env = env)
  dir.create(file.path(folder, "masks"))
  png::writePNG(
    cbind(matrix(1, 64, 40), matrix(0, 64, 56)),
    file.path(folder, "masks", "half.png")
  )
  writeLines(
    write_yaml_text(suite),
    file.path(folder, "suite.yml"),
    useBytes = TRUE
  )
  folder
}
