# Checks of a description when it is read: that templates name what there is, and that what the
# engine takes gets there. A setting that never reaches a service would be compared all the same.

# The problems of an entry of lineup.yml; none if it is of another kind.
description_problems <- function(wanted, place, file = "lineup.yml") {
  if (!identical(wanted$kind, "described")) {
    return(no_problems())
  }

  problem <- function(at, ...) new_problem(file, paste0(place, ".", at), ...)
  bind_problems(
    upload_call_problems(wanted$upload, problem),
    unlist(lapply(c("make", "wait"), function(role) {
      call_problems(wanted[[role]], names_for(role, wanted), role, problem)
    }), recursive = FALSE),
    upload_problems(wanted, problem),
    reach_problems(wanted, problem),
    key_problems(wanted, problem),
    repeat_problems(wanted$wait, names(wanted$make$keep), problem),
    price_problems(wanted, problem)
  )
}

# The names that the templates of `make` or `wait` can have.
names_for <- function(role, wanted) {
  about <- wanted$about
  forms <- names(picture_forms)
  kinds <- intersect(unlist(about$takes), guide_kinds)
  pictures <- c("reference", "look", mask_names, paste0("guides.", kinds, recycle0 = TRUE))
  known <- c(
    names(plain_inputs),
    in_forms(pictures, forms),
    paste0("guides.", kinds, ".weight", recycle0 = TRUE),
    paste0("guides.", kinds, ".release", recycle0 = TRUE),
    "settings", paste0("settings.", names(about$settings), recycle0 = TRUE),
    "add_ons", paste0("add_ons.", unlist(about$add_ons), recycle0 = TRUE)
  )
  c(
    known,
    paste0(unlist(wanted$upload$pictures), ".uploaded", recycle0 = TRUE),
    if (role == "wait") names(wanted$make$keep)
  )
}

# An upload's calls know the picture, and what earlier ones of them kept.
upload_call_problems <- function(upload, problem) {
  if (is.null(upload)) {
    return(list())
  }

  steps <- c(list(upload), upload$then)
  roles <- c("upload", paste0("upload.then[", seq_along(upload$then), "]", recycle0 = TRUE))
  known <- in_forms("picture", names(picture_forms))
  problems <- list()
  for (i in seq_along(steps)) {
    problems <- c(problems, call_problems(steps[[i]], known, roles[i], problem))
    known <- c(known, names(steps[[i]]$keep))
  }

  problems
}

# The ways in which a mask is told (turned_mask, clear_mask).
mask_names <- c("mask", "mask_kept", "mask_clear")

in_forms <- function(pictures, forms) {
  paste(rep(pictures, each = length(forms)), forms, sep = ".", recycle0 = TRUE)
}

# What an element of each list is called.
names_of_each <- list(
  seeds = "seed",
  phrases = c("phrase", "phrase.weight"),
  references = c("reference.weight", in_forms("reference", c("base64", "data_url", "part"))),
  looks = in_forms("look", c("base64", "data_url", "part")),
  guides = c(
    "guide.kind", "guide.weight", "guide.release",
    in_forms("guide", c("base64", "data_url", "part"))
  ),
  add_ons = c("add_on", "add_on.weight")
)

# `lists` are those that `each` can name, with what is named of their elements.
call_problems <- function(spec, known, role, problem, lists = names_of_each) {
  if (is.null(spec)) {
    return(list())
  }

  in_call <- template_names(request_template(spec$call))
  shown <- sub("[.]base64$", "", grep("[.]base64$", known, value = TRUE))
  c(
    lapply(setdiff(in_call, known), name_problem, known, paste0(role, ".call"), problem),
    lapply(setdiff(spec$bytes, shown), function(name) {
      problem(
        paste0(role, ".bytes"),
        quoted(name),
        paste("one of", paste(c(shown, if (!length(shown)) "none"), collapse = ", ")),
        nearest_word(name, shown)
      )
    }),
    unlist(
      lapply(intersect(c("headers", "json", "form"), names(spec)), function(part) {
        template_problems(spec[[part]], known, paste0(role, ".", part), problem, lists)
      }),
      recursive = FALSE
    )
  )
}

# Problems of a template and of all below it.
template_problems <- function(template, known, at, problem, lists) {
  if (is.character(template)) {
    return(text_problems(template, known, at, problem))
  }

  if (!is.list(template)) {
    return(list())
  }

  own <- c(
    when_problems(template, known, at, problem),
    each_problems(template, at, problem, lists)
  )
  each <- template[["each"]]
  if (is_text(each)) {
    known <- c(known, lists[[each]])
  }

  inner <- template[setdiff(seq_along(template), which(names(template) %in% c("when", "each")))]
  below <- if (is.null(names(inner))) {
    paste0(at, "[", seq_along(inner), "]", recycle0 = TRUE)
  } else {
    paste0(at, ".", names(inner), recycle0 = TRUE)
  }
  c(
    own,
    unlist(
      Map(
        template_problems, inner, below,
        MoreArgs = list(known = known, problem = problem, lists = lists), USE.NAMES = FALSE
      ),
      recursive = FALSE
    )
  )
}

when_problems <- function(template, known, at, problem) {
  when <- template[["when"]]
  if (!is.null(when) && !(is_text(when) && when %in% known)) {
    list(name_problem(when, known, paste0(at, ".when"), problem))
  }
}

each_problems <- function(template, at, problem, lists) {
  each <- template[["each"]]
  if (is.null(each) || (is_text(each) && each %in% names(lists) && !is.null(template$of))) {
    return(list())
  }

  wanted <- paste0("one of ", paste(names(lists), collapse = ", "), ", and `of`")
  near <- if (is_text(each)) nearest_word(each, names(lists)) else NA
  list(problem(paste0(at, ".each"), show_value(each), wanted, near))
}

# A word in braces may be meant as it stands only if it could be no name.
text_problems <- function(text, known, at, problem) {
  words <- regmatches(text, gregexpr("\\{ *[A-Za-z_][A-Za-z0-9_.-]* *\\}", text))[[1]]
  inner <- trimws(substr(words, 2, nchar(words) - 1))
  wrong <- inner[!inner %in% known | words != paste0("{", inner, "}")]
  lapply(unique(wrong), name_problem, known, at, problem)
}

name_problem <- function(name, known, at, problem) {
  name <- if (is_text(name)) name else show_value(name)
  of_picture <- c("reference", "look", mask_names, "picture")
  near <- if (name %in% of_picture) {
    paste0(name, if (grepl("[.]form", at)) ".part" else ".base64")
  } else {
    nearest_word(name, known)
  }
  wanted <- if (endsWith(name, ".uploaded")) {
    "the name of an input; a picture has .uploaded if `upload.pictures` names it"
  } else if (grepl("^(settings|add_ons|guides)[.]", name)) {
    paste0("the name of an input; `about` has no ", sub("[.]", " ", name))
  } else {
    "the name of an input (docs/engines.md lists them)"
  }
  problem(at, quoted(name), wanted, near)
}

upload_problems <- function(wanted, problem) {
  pictures <- unlist(wanted$upload$pictures)
  known <- c("reference", "look", mask_names, paste0("guides.", guide_kinds))
  wrong <- setdiff(pictures, known)
  used <- names_in_template(wanted[c("make", "wait")])
  idle <- setdiff(intersect(pictures, known), sub("[.]uploaded$", "", used))
  c(
    lapply(wrong, function(name) {
      problem(
        "upload.pictures",
        quoted(name),
        paste("one of", paste(known, collapse = ", ")),
        nearest_word(name, known)
      )
    }),
    lapply(idle, function(name) {
      problem(
        "upload.pictures",
        paste0(quoted(name), ", which is nowhere used"),
        paste0("{", name, ".uploaded} in make")
      )
    })
  )
}

# What the engine takes must be somewhere in the calls.
reach_problems <- function(wanted, problem) {
  calls <- wanted[c("make", "wait")]
  in_calls <- unlist(lapply(calls, function(spec) {
    if (!is.null(spec)) template_names(request_template(spec$call))
  }))
  used <- c(names_in_template(calls), in_calls, paste0(calls$make$bytes, ".part", recycle0 = TRUE))
  each <- words_behind(calls, "each")
  lacking <- Filter(
    function(need) !any(grepl(need$pattern, used)) && !any(need$list %in% each),
    c(needs_of_description(wanted), needs_of_about(wanted$about))
  )
  lapply(unname(lacking), function(need) {
    problem("make", "templates that lack it", need$wanted)
  })
}

# Something that some template has to name: a `pattern` of its names, the `list` by which `each`
# names it, and what is `wanted` in words.
new_need <- function(pattern, wanted, list = character()) {
  list(pattern = pattern, wanted = wanted, list = list)
}

needs_of_description <- function(wanted) {
  about <- wanted$about
  text_alone <- "text_alone" %in% unlist(about$takes) && is.null(about$hold)
  needs <- list(
    prompt = new_need("^prompt$", "{prompt}", "phrases"),
    seed = new_need("^seeds?$", "{seed}, or `repeatable: false` in about", "seeds"),
    reference = new_need(
      "^reference[.]",
      "{reference.base64} or another form of it, or `takes: [text_alone]` in about",
      "references"
    ),
    per_call = new_need("^seeds$", "{seeds} or `each: seeds`, as per_call is above 1", "seeds")
  )
  there <- c(
    prompt = TRUE,
    seed = !isFALSE(about$repeatable),
    reference = !text_alone,
    per_call = (wanted$per_call %||% 1) > 1
  )
  needs[there[names(needs)]]
}

needs_of_about <- function(about) {
  c(
    if (!is.null(about$hold)) {
      list(new_need("^(hold|knob)$", "{knob}, as about has a hold"))
    },
    if (length(about$checkpoints) > 1) {
      list(new_need("^checkpoint$", "{checkpoint}, as about has several"))
    },
    if ((about$enlarge %||% 1) > 1) {
      list(new_need("^enlarge$", "{enlarge}, as about has it"))
    },
    lapply(setdiff(unlist(about$takes), "text_alone"), need_of_input),
    lapply(names(about$settings), function(name) {
      words <- paste0("{settings.", name, "}, as about has that setting")
      new_need(paste0("^settings($|[.]", name, "$)"), words)
    }),
    lapply(unlist(about$add_ons), function(name) {
      words <- paste0("{add_ons.", name, "}, as about has that add-on")
      new_need(paste0("^add_ons($|[.]", name, "$)"), words, "add_ons")
    })
  )
}

# The need of an input that about takes.
need_of_input <- function(word) {
  so <- paste0(", as about takes ", word)
  switch(word,
    look = new_need("^look[.]", paste0("{look.base64}", so), "looks"),
    mask = new_need(
      "^mask(_kept|_clear)?[.]",
      paste0("{mask.base64}, {mask_kept.base64} or {mask_clear.base64}", so)
    ),
    references = new_need(
      "^references$",
      paste0("{reference.base64} within `each: references`", so),
      "references"
    ),
    negative = new_need("^negative$", paste0("{negative}", so)),
    new_need(
      paste0("^guides[.]", word, "[.](base64|data_url|part|uploaded)$"),
      paste0("{guides.", word, ".base64}", so),
      "guides"
    )
  )
}

# The texts behind a key of nested lists, wherever it is.
words_behind <- function(value, key) {
  if (!is.list(value)) {
    return(character())
  }

  own <- value[[key]]
  c(
    if (is_text(own)) own,
    unlist(lapply(value, words_behind, key), use.names = FALSE)
  )
}

# The key by which a call is known again.
key_problems <- function(wanted, problem) {
  make <- wanted$make
  in_header <- "key" %in% names_in_template(make$headers)
  in_member <- "key" %in% c(
    names_in_template(make[c("json", "form")]),
    template_names(request_template(make$call))
  )
  how <- wanted$idempotent %||% ""
  if (how == "header" && !in_header) {
    list(problem("idempotent", "\"header\"", "{key} in one of make.headers"))
  } else if (how == "member" && !in_member) {
    list(problem("idempotent", "\"member\"", "{key} in make.json or make.form"))
  } else {
    list()
  }
}

price_problems <- function(wanted, problem) {
  by <- wanted$price_list$by
  known <- names_for("make", wanted)
  if (!is.null(by) && !by %in% known) {
    list(name_problem(by, known, "price_list.by", problem))
  }
}

# What an answer is to repeat must have been `kept`.
repeat_problems <- function(wait, kept, problem, at = "make.keep") {
  lapply(setdiff(names(wait$same), kept), function(name) {
    problem(
      paste0("wait.same.", name),
      paste0("a name that ", at, " has not"),
      paste0("one of ", paste(c(kept, if (!length(kept)) "none"), collapse = ", ")),
      nearest_word(name, kept)
    )
  })
}
