# The fields of the calls that described services have in common: engines in lineup.yml, judges in
# brief.yml.

# The fields of taking in a picture before it is used.
upload_fields <- function() {
  rbind(
    call_fields(
      "upload",
      "described: the call that takes in a picture before it is used.",
      keeps = TRUE
    ),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "upload.id",
      "answer",
      "yes",
      "Where the answer has the name or the address of what was taken in.",
      "upload.seconds",
      "number 1..31536000 or answer",
      "no",
      paste0(
        "For how many seconds it can be used, or where the answer says so; for the whole run if ",
        "left out."
      ),
      "upload.then",
      "list",
      "no",
      paste0(
        "The calls that follow, where the first only tells where the picture goes. `id` and ",
        "`seconds` may stand in the answer of any of them."
      ),
      "upload.hosts",
      "list",
      "no",
      "Other hosts that these calls may go to, without the key.",
      "upload.hosts[]",
      "host_of_pictures",
      "no",
      "One of them."
    ),
    call_fields("upload.then[]", "One of them.", keeps = TRUE)
  )
}

# The fields of following a job.
wait_fields <- function() {
  rbind(
    call_fields("wait", "described: the call that looks whether it is made."),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "wait.every",
      "number 0.05..3600",
      "no",
      "Every how many seconds, where the service does not say; 1 if left out.",
      "wait.state",
      "answer",
      "yes",
      "Where the answer says how far it is.",
      "wait.done",
      "list",
      "yes",
      "What is said there when it is made.",
      "wait.done[]",
      "text or number or flag",
      "no",
      "One of these.",
      "wait.going",
      "list",
      "no",
      paste0(
        "What is said there as long as it is not; anything else is then an answer that can't be ",
        "used."
      ),
      "wait.going[]",
      "text or number or flag",
      "no",
      "One of these.",
      "wait.same",
      "map",
      "no",
      paste0(
        "Where the answer repeats what make kept under that name, so that the picture of another ",
        "job is never taken."
      ),
      "wait.same.*",
      "answer",
      "no",
      "One of these places."
    )
  )
}

# The fields of one call; one that `keeps` hands something on to later calls.
call_fields <- function(name, doc, keeps = FALSE) {
  kept <- table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    ".keep",
    "map",
    "no",
    "What is kept of the answer, by names that later calls can use.",
    ".keep.*",
    "answer",
    "no",
    "Where one of them stands."
  )
  rows <- table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "",
    "record",
    "no",
    doc,
    ".call",
    "request",
    "yes",
    "The call.",
    ".headers",
    "map",
    "no",
    "Headers besides the key's.",
    ".headers.*",
    "template",
    "no",
    "One of them.",
    ".json",
    "template",
    "no",
    "What is sent as JSON.",
    ".form",
    "map",
    "no",
    "What is sent as a form (multipart/form-data, RFC 7578), part by part.",
    ".form.*",
    "template",
    "no",
    "One part.",
    ".bytes",
    "text",
    "no",
    "The picture whose bytes (PNG) are sent as they are: in an upload `picture`."
  )
  prefixed(rbind(rows, if (keeps) kept), name)
}

failure_fields <- function() {
  table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "failures",
    "list",
    "no",
    paste0(
      "How failures are told; the first that fits counts. Otherwise the status does: 402 is ",
      "out_of_credit, 408 and 504 timed_out, 425, 429 and 503 busy, other 4xx bad_request, 5xx ",
      "bad_answer."
    ),
    "failures[]",
    "record",
    "no",
    "One of them.",
    "failures[].kind",
    choice_of(described_failures),
    "yes",
    "What it is a failure of; see Failures in docs/engines.md.",
    "failures[].status",
    "list",
    "no",
    "The statuses by which it is known.",
    "failures[].status[]",
    "integer 100..599",
    "no",
    "One of them.",
    "failures[].at",
    "answer",
    "no",
    "Where the answer says it.",
    "failures[].is",
    "list",
    "no",
    "What is said there.",
    "failures[].is[]",
    "text or number or flag",
    "no",
    "One of these.",
    "failures[].has",
    "text",
    "no",
    "Words that are in what is said there, in capitals or not.",
    "failures[].message",
    "answer",
    "no",
    "Where the answer explains it."
  )
}

# The fields of a judge that is asked so.
question_fields <- function() {
  question <- call_fields(
    "question",
    paste0(
      "answering: the call that asks a service about a picture, with {picture.base64} and ",
      "{statement} in its templates; see docs/judges.md."
    ),
    keeps = TRUE
  )
  answer <- table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "answer",
    "record",
    "no",
    "answering: how the answer of a described service is read.",
    "answer.at",
    "answer",
    "yes",
    paste0(
      "Where it stands: a number, true or false, or words; with `each: statements` as many as ",
      "there are statements, in their order."
    ),
    "answer.from",
    "number",
    "no",
    "The number that means not at all; 0 if left out.",
    "answer.to",
    "number",
    "no",
    "The number that means surely; 1 if left out.",
    "answer.yes",
    "list",
    "no",
    "Words that mean that it holds, alone or first; yes and true if left out.",
    "answer.yes[]",
    "text or flag",
    "no",
    "One of them.",
    "answer.no",
    "list",
    "no",
    "Words that mean that it does not; no and false if left out.",
    "answer.no[]",
    "text or flag",
    "no",
    "One of them."
  )
  rows <- rbind(answer, question, upload_fields(), wait_fields(), failure_fields())
  prefixed(rows, ".")
}

prefixed <- function(rows, prefix) {
  rows$place <- paste0(prefix, rows$place)
  rows
}

# A call has one body, and an upload sends something in one of its calls.
body_rules <- function(entry, asks) {
  each <- lapply(paste0(entry, ".", c("upload", "upload.then[]", asks, "wait")), function(place) {
    table_by_row(
      ~place,
      ~when,
      ~needs,
      ~bans,
      place,
      "json",
      "",
      "form bytes",
      place,
      "form",
      "",
      "bytes"
    )
  })
  sends <- table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    paste0(entry, ".upload"),
    "",
    "json|form|bytes|then",
    "",
    paste0(entry, ".upload"),
    "hosts",
    "then",
    ""
  )
  do.call(rbind, c(each, list(sends)))
}

failure_rules <- function(entry) {
  place <- paste0(entry, ".failures[]")
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    place,
    "",
    "status|at",
    "",
    place,
    "is",
    "at",
    "",
    place,
    "has",
    "at",
    "",
    place,
    "at",
    "is|has",
    ""
  )
}
