# What the keys of one record say of each other: the second table that the
# checks and the JSON Schemas are made from.
#
# `when`: empty (always), a key that is there, or `key=value`.
# `needs`: keys that must then be there; `a|b` is at least one of them.
# `bans`: keys that must not.
# A record that takes over from another by `like` may leave out what is needed.
trial_rules <- function(file) {
  rules <- switch(file, suite.yml = suite_rules(), lineup.yml = lineup_rules(), brief.yml = brief_rules())
  rules$needs <- lapply(rules$needs, split_words, by = " ")
  rules$bans <- lapply(rules$bans, split_words, by = " ")
  rules
}

suite_rules <- function() {
  tibble::tribble(
    ~place, ~when, ~needs, ~bans,
    "cases[]", "job=restyle", "reference", "references mask grow",
    "cases[]", "job=vary", "reference|references", "mask grow",
    "cases[]", "job=repair", "reference", "references grow",
    "cases[]", "job=swap", "reference", "references grow",
    "cases[]", "job=edit", "reference mask", "references grow",
    "cases[]", "job=extend", "reference grow", "references mask",
    "cases[]", "job=blend", "references", "reference mask grow",
    "cases[]", "job=fresh", "", "reference references mask grow watch",
    "cases[]", "reference", "", "references",
    "cases[].mask", "", "picture|boxes", "",
    "cases[].mask", "picture", "", "boxes",
    "cases[].watch.*", "", "box|mask", "",
    "cases[].watch.*", "box", "", "mask",
    "cases[].grow", "", "left|top|right|bottom", "",
    "cases[].prompt[].probe", "", "colour|brightness|monochrome", "",
    "cases[].prompt[].probe", "colour", "share", "brightness monochrome",
    "cases[].prompt[].probe", "share", "colour", "",
    "cases[].prompt[].probe", "brightness", "", "monochrome"
  )
}

lineup_rules <- function() {
  tibble::tribble(
    ~place, ~when, ~needs, ~bans,
    "engines.*", "kind=function", "call|file", "",
    "engines.*", "call", "", "file",
    "pipelines[]", "", "engine|steps", "",
    "pipelines[]", "steps", "", "engine checkpoint hold settings add_ons",
    "sweeps[]", "", "vary|grid", "",
    "sweeps[]", "vary", "over", "grid",
    "sweeps[]", "over", "vary", ""
  )
}

brief_rules <- function() {
  tibble::tribble(
    ~place, ~when, ~needs, ~bans,
    "", "", "weights|purposes", "",
    "", "purposes", "", "weights floors style job"
  )
}

# What of the rules a record breaks, in words: what was found and is wanted.
rule_breaks <- function(value, rules) {
  names <- names(value)
  broken <- lapply(seq_len(nrow(rules)), function(i) {
    when <- rules$when[i]
    if (!rule_holds(when, value)) {
      return(NULL)
    }
    reason <- if (nzchar(when)) paste0(", as ", if (grepl("=", when)) sub("=", " is ", when) else paste("there is", when))
    needs <- if (!"like" %in% names) Filter(function(keys) !any(split_words(keys, "|") %in% names), rules$needs[[i]])
    bans <- intersect(rules$bans[[i]], names)
    c(
      lapply(needs, function(keys) list(
        key = if (!grepl("|", keys, fixed = TRUE)) keys, found = "nothing",
        wanted = paste0(gsub("|", " or ", keys, fixed = TRUE), reason)
      )),
      lapply(bans, function(key) list(key = key, found = paste("the key", key), wanted = paste0("no ", key, reason)))
    )
  })
  unlist(broken, recursive = FALSE)
}

rule_holds <- function(when, value) {
  if (!grepl("=", when)) {
    return(!nzchar(when) || when %in% names(value))
  }
  parts <- split_words(when, "=")
  identical(value[[parts[1]]], parts[2])
}

# The same as JSON Schema: what stands in a record's `allOf`.
rule_schemas <- function(rules, relaxed) {
  there <- function(keys) {
    each <- lapply(split_words(keys, "|"), function(key) list(required = list(key)))
    if (length(each) == 1) each[[1]] else list(anyOf = each)
  }
  unlist(lapply(seq_len(nrow(rules)), function(i) {
    when <- rules$when[i]
    parts <- split_words(when, "=")
    condition <- if (length(parts) == 2) {
      list(required = list(parts[1]), properties = stats::setNames(list(list(const = parts[2])), parts[1]))
    } else if (nzchar(when)) {
      list(required = list(when))
    }
    needs <- lapply(rules$needs[[i]], function(keys) {
      if (relaxed) list(anyOf = list(list(required = list("like")), there(keys))) else there(keys)
    })
    bans <- lapply(rules$bans[[i]], function(key) list(not = list(required = list(key))))
    lapply(c(needs, bans), function(then) if (is.null(condition)) then else list(`if` = condition, then = then))
  }), recursive = FALSE)
}
