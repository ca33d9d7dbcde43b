# Rules between the keys of one record: the second table that the checks and the JSON Schemas are
# made from.
#
# `when`: empty (always), a key that is present, or `key=value`.
#
# `needs`: keys that must then be present; `a|b` is at least one of them.
#
# `bans`: keys that must not.
#
# A record that inherits from another by `like` may leave out what is needed.
trial_rules <- function(file) {
  rules <- switch(file,
    suite.yml = suite_rules(),
    lineup.yml = lineup_rules(),
    brief.yml = brief_rules(),
    workers.yml = no_rules()
  )
  rules$needs <- lapply(rules$needs, split_words, by = " ")
  rules$bans <- lapply(rules$bans, split_words, by = " ")
  rules
}

suite_rules <- function() {
  rbind(
    case_rules(),
    probe_rules("cases[].prompt[].probe"),
    probe_rules("cases[].prompt[].probe[]"),
    probe_rules("cases[].negative[].probe"),
    probe_rules("cases[].negative[].probe[]"),
    find_rules("cases[].prompt[].find"),
    find_rules("cases[].prompt[].find[]"),
    find_rules("cases[].negative[].find"),
    find_rules("cases[].negative[].find[]")
  )
}

# A probe asks for one thing, and has what that needs beside it.
probe_rules <- function(place) {
  asks <- vapply(all_probes(), `[[`, "", "asks")
  with <- list(colour = c("share", "patches"), look = "nearness")
  alone <- new_table(
    place = place,
    when = asks,
    needs = vapply(
      asks,
      function(one) paste(names(with)[vapply(with, `%in%`, NA, x = one)], collapse = " "),
      ""
    ),
    bans = vapply(
      asks,
      function(one) {
        paste(c(setdiff(asks, one), if (one == "nearness") "where"), collapse = " ")
      },
      ""
    )
  )
  rbind(
    new_table(
      place = place,
      when = "",
      needs = paste(c(asks, names(with)), collapse = "|"),
      bans = ""
    ),
    alone,
    new_table(
      place = place,
      when = names(with),
      needs = vapply(with, paste, "", collapse = "|"),
      bans = ""
    )
  )
}

# What is looked for is of one kind.
find_rules <- function(place) {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    place,
    "",
    "thing|face|lettering|text",
    "",
    place,
    "thing",
    "count",
    "face lettering text",
    place,
    "face",
    "",
    "thing count lettering text",
    place,
    "lettering",
    "",
    "thing count face text",
    place,
    "text",
    "",
    "thing count face lettering"
  )
}

case_rules <- function() {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    "cases[]",
    "job=restyle",
    "reference",
    "references mask grow",
    "cases[]",
    "job=vary",
    "reference|references",
    "mask grow",
    "cases[]",
    "job=repair",
    "reference",
    "references grow",
    "cases[]",
    "job=swap",
    "reference",
    "references grow",
    "cases[]",
    "job=edit",
    "reference mask",
    "references grow",
    "cases[]",
    "job=extend",
    "reference grow",
    "references mask",
    "cases[]",
    "job=blend",
    "references",
    "reference mask grow",
    "cases[]",
    "job=fresh",
    "",
    "reference references mask grow watch",
    "cases[]",
    "reference",
    "",
    "references",
    "cases[].mask",
    "",
    "picture|boxes",
    "",
    "cases[].mask",
    "picture",
    "",
    "boxes",
    "cases[].watch.*",
    "",
    "box|mask",
    "",
    "cases[].watch.*",
    "box",
    "",
    "mask",
    "cases[].grow",
    "",
    "left|top|right|bottom",
    ""
  )
}

brief_rules <- function() {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    "",
    "",
    "weights|purposes",
    "",
    "",
    "purposes",
    "",
    "weights floors style job",
    "judges.*",
    "kind=answering",
    "call|file|address",
    "text_model pictures texts",
    "judges.*",
    "kind=embedding",
    "call|file|address",
    "deny pictures texts question answer version unasked",
    "judges.*",
    "kind=pose",
    "call|file|address",
    "text_model ask deny pictures texts question answer version unasked",
    "judges.*",
    "kind=depth",
    "call|file|address",
    "text_model ask deny pictures texts question answer version unasked",
    "judges.*",
    "kind=finding",
    "call|file|address",
    "text_model ask deny pictures texts question answer version install unasked",
    "judges.*",
    "kind=local",
    "",
    paste(
      "call file address model text_model tensors binary key ask deny pictures texts question",
      "answer version at_once unasked"
    ),
    "judges.*",
    "install",
    "",
    "call file address",
    "judges.*",
    "kind=vectors",
    "pictures texts",
    "call file address model text_model tensors deny batch edge question answer version unasked",
    "judges.*",
    "address",
    "model|question",
    "call file",
    "judges.*",
    "question",
    "address answer version",
    "model text_model tensors binary batch",
    "judges.*",
    "answer",
    "question",
    "",
    "judges.*",
    "version",
    "question",
    "",
    "judges.*",
    "failures",
    "question",
    "",
    "judges.*",
    "upload",
    "question",
    "",
    "judges.*",
    "wait",
    "question",
    "",
    "judges.*",
    "patience",
    "wait",
    "",
    "judges.*",
    "key_scheme",
    "key",
    "",
    "judges.*",
    "call",
    "",
    "file",
    "judges.*",
    "model",
    "address",
    "",
    "judges.*",
    "text_model",
    "address",
    "",
    "judges.*",
    "key",
    "address",
    "",
    "judges.*",
    "key_header",
    "key",
    ""
  ) |>
    rbind(body_rules("judges.*", "question"), failure_rules("judges.*"))
}

no_rules <- function() {
  new_table(
    place = character(),
    when = character(),
    needs = character(),
    bans = character()
  )
}

# The rules of one place, taken apart: a list with `when`, its `key` and `value`
# (NULL for a key alone), `needs` (a list of alternatives) and `bans`.
parse_rules <- function(rules) {
  lapply(seq_len(nrow(rules)), function(i) {
    parts <- split_words(rules$when[i], "=")
    list(
      when = rules$when[i],
      key = if (length(parts)) parts[1],
      value = if (length(parts) > 1) parts[2],
      needs = lapply(rules$needs[[i]], split_words, by = "|"),
      bans = rules$bans[[i]]
    )
  })
}

# The rules that a record breaks, in words: what was found and what is wanted.
rule_breaks <- function(value, rules) {
  held <- Filter(function(rule) rule_holds(rule, value), rules)
  unlist(
    lapply(held, function(rule) {
      c(lacking_keys(rule, names(value)), banned_keys(rule, names(value)))
    }),
    recursive = FALSE
  )
}

# A key that an entry lacks may come from the one that it is like.
lacking_keys <- function(rule, names) {
  lacking <- if (!"like" %in% names) {
    Filter(function(keys) !any(keys %in% names), as.list(rule$needs))
  }
  lapply(lacking, function(keys) {
    list(
      key = if (length(keys) == 1) keys,
      found = "nothing",
      wanted = paste0(paste(keys, collapse = " or "), reason_of(rule))
    )
  })
}

banned_keys <- function(rule, names) {
  lapply(intersect(rule$bans, names), function(key) {
    list(key = key, found = paste("the key", key), wanted = paste0("no ", key, reason_of(rule)))
  })
}

reason_of <- function(rule) {
  if (is.null(rule$key)) {
    return("")
  }

  if (is.null(rule$value)) {
    paste0(", as there is ", rule$key)
  } else {
    paste0(", as ", rule$key, " is ", rule$value)
  }
}

rule_holds <- function(rule, value) {
  is.null(rule$key) ||
    (rule$key %in% names(value) &&
      (is.null(rule$value) || identical(value[[rule$key]], rule$value)))
}

# The same as JSON Schema: what stands in a record's `allOf`.
rule_schemas <- function(rules, relaxed) {
  there <- function(keys) {
    each <- lapply(keys, function(key) list(required = list(key)))
    if (length(each) == 1) {
      each[[1]]
    } else {
      list(anyOf = each)
    }
  }

  unlist(
    lapply(rules, function(rule) {
      condition <- if (!is.null(rule$key)) {
        c(
          list(required = list(rule$key)),
          if (!is.null(rule$value)) {
            list(properties = stats::setNames(list(list(const = rule$value)), rule$key))
          }
        )
      }
      needs <- lapply(rule$needs, function(keys) {
        if (relaxed) {
          list(anyOf = list(list(required = list("like")), there(keys)))
        } else {
          there(keys)
        }
      })
      bans <- lapply(rule$bans, function(key) list(not = list(required = list(key))))
      lapply(c(needs, bans), function(then) {
        if (is.null(condition)) {
          then
        } else {
          list(`if` = condition, then = then)
        }
      })
    }),
    recursive = FALSE
  )
}
