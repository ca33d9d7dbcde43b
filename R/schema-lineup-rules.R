# The rules between the keys of lineup.yml; see schema-rules.R.

# Keys that only some kinds of engine have.
engine_keys <- c(
  "call", "file", "address", "key", "key_header", "key_scheme", "key_query", "model", "tensors",
  "binary", "refusals", "command", "serve", "start_seconds", "memory_gb", "env", "folder", "name",
  "seconds", "patience", "about", "upload", "make", "wait", "result", "price_list", "idempotent",
  "failures"
)

# Of these, the keys of every kind but function.
keys_of_kinds <- list(
  http = c("address", "key", "key_header", "key_scheme", "seconds", "patience"),
  inference = c(
    "address", "key", "key_header", "key_scheme", "model", "tensors", "binary", "refusals",
    "seconds", "about"
  ),
  described = c(
    "address", "key", "key_header", "key_scheme", "key_query", "seconds", "patience", "about",
    "upload", "make", "wait", "result", "price_list", "idempotent", "failures"
  ),
  command = c(
    "command", "serve", "start_seconds", "memory_gb", "env", "seconds", "about"
  ),
  folder = c("folder", "name", "about")
)

banned_by_kind <- function(kind) {
  paste(setdiff(engine_keys, keys_of_kinds[[kind]]), collapse = " ")
}

lineup_rules <- function() {
  rbind(engine_rules(), described_rules(), pipeline_rules())
}

engine_rules <- function() {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    "engines.*",
    "kind=function",
    "call|file",
    paste(setdiff(engine_keys, c("call", "file", "seconds")), collapse = " "),
    "engines.*",
    "call",
    "",
    "file",
    "engines.*",
    "kind=http",
    "address",
    banned_by_kind("http"),
    "engines.*",
    "kind=inference",
    "address model about",
    banned_by_kind("inference"),
    "engines.*",
    "kind=described",
    "address make about",
    banned_by_kind("described"),
    "engines.*",
    "kind=command",
    "command about",
    banned_by_kind("command"),
    "engines.*",
    "kind=folder",
    "folder about",
    banned_by_kind("folder"),
    "engines.*",
    "start_seconds",
    "serve",
    "",
    "engines.*",
    "key_header",
    "key",
    "",
    "engines.*.about.hold",
    "",
    "at_0|words",
    "",
    "engines.*.about.hold",
    "at_0",
    "at_1",
    "words",
    "engines.*.about.hold",
    "at_1",
    "at_0",
    "words",
    "engines.*.about.settings.*",
    "",
    "from|words",
    "",
    "engines.*.about.settings.*",
    "from",
    "to",
    "words",
    "engines.*.about.settings.*",
    "to",
    "from",
    "words"
  )
}

pipeline_rules <- function() {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    "pipelines[]",
    "",
    "engine|steps",
    "",
    "pipelines[]",
    "steps",
    "",
    paste(
      "engine checkpoint hold settings add_ons guides look reference size enlarge wording",
      "phrases mask"
    ),
    "pipelines[].wording",
    "drafted_by",
    "prompt",
    "",
    "pipelines[].steps[].wording",
    "drafted_by",
    "prompt",
    "",
    "pipelines[].guides",
    "weight",
    "kind",
    "",
    "pipelines[].guides",
    "release",
    "kind",
    "",
    "pipelines[].steps[].guides",
    "weight",
    "kind",
    "",
    "pipelines[].steps[].guides",
    "release",
    "kind",
    "",
    "sweeps[]",
    "",
    "vary|grid",
    "",
    "sweeps[]",
    "vary",
    "over",
    "grid",
    "sweeps[]",
    "over",
    "vary",
    ""
  )
}
