# The types and fields of services that are described: which calls are made of them, with what in
# them, and where their answers have what is wanted.

described_types <- function() {
  list(
    request = new_type(
      function(x) is_text(x) && grepl(request_pattern, x) && can_be_read(x, request_template),
      paste0(
        "a method and an address, such as POST /v1/pictures; names in braces are filled in ",
        "(RFC 6570)"
      ),
      list(type = "string", pattern = request_pattern)
    ),
    answer = new_type(
      function(x) is_text(x) && can_be_read(x, read_place),
      paste0(
        "a place in the answer: a JSONPath (RFC 9535) such as $.data[0].url, a JSON Pointer ",
        "(RFC 6901) such as /data/0/url, or header NAME"
      ),
      list(type = "string", pattern = "^(\\$|/|header )")
    ),
    template = new_type(
      function(x) !holds_code(x),
      "text, numbers, lists, and keys with values, in which names in braces are filled in",
      named_list(list())
    ),
    host_of_pictures = new_type(
      function(x) is_text(x) && grepl(picture_host_pattern, x, perl = TRUE),
      "https://HOST, https://*.DOMAIN, or http://127.0.0.1:PORT on this machine",
      list(type = "string", pattern = picture_host_pattern)
    )
  )
}

request_pattern <- "^(GET|POST|PUT|PATCH) +[/{h]\\S*$"
picture_host_pattern <- paste0(
  "^(https://(\\*\\.)?[A-Za-z0-9-]+(\\.[A-Za-z0-9-]+)*",
  "|http://(127\\.[0-9]+\\.[0-9]+\\.[0-9]+|localhost))(:[0-9]{1,5})?$"
)

# The parts of a request line.
request_method <- function(line) sub(" .*", "", line)
request_template <- function(line) read_template(sub("^[A-Z]+ +", "", line))

can_be_read <- function(text, reader) {
  tryCatch(
    {
      reader(text)
      TRUE
    },
    sprenn_error = function(e) FALSE
  )
}

holds_code <- function(value) {
  inherits(value, "yaml_code") || (is.list(value) && any(vapply(value, holds_code, NA)))
}

# What a service's answer can be a failure of.
described_failures <- c(
  "refused", "out_of_credit", "busy", "timed_out", "bad_request", "bad_answer"
)

described_fields <- function() {
  rows <- rbind(
    upload_fields(),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "upload.pictures",
      "list",
      "yes",
      paste0(
        "Which pictures are taken in so, if the case has them: reference, look, mask or ",
        "guides.KIND. Elsewhere {reference.uploaded} is what `id` found."
      ),
      "upload.pictures[]",
      "text",
      "no",
      "One of them."
    ),
    call_fields("make", "described: the call that makes a picture.", keeps = TRUE),
    wait_fields(),
    result_fields(),
    failure_fields()
  )
  prefixed(rows, "engines.*.")
}

result_fields <- function() {
  table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "result",
    "record",
    "no",
    "described: what is read of the answer that has the picture.",
    "result.picture",
    "answer",
    "no",
    paste0(
      "Where the picture stands, in base64, as a data URL or as an address; several if several ",
      "are asked for. The answer itself if left out."
    ),
    "result.hosts",
    "list",
    "no",
    "Other hosts that pictures are fetched from, without the key.",
    "result.hosts[]",
    "host_of_pictures",
    "no",
    "One of them.",
    "result.seed",
    "answer",
    "no",
    "The seed that was used.",
    "result.cost",
    "answer",
    "no",
    "What the call cost; the price if left out.",
    "result.unit_price",
    "number 0..100000",
    "no",
    "What one of the units costs in which `cost` is said; 1 if left out.",
    "result.version",
    "answer",
    "no",
    "The version that made it, kept with the take.",
    "result.seconds",
    "answer",
    "no",
    "How long it took there, kept with the take.",
    "price_list",
    "record",
    "no",
    "described: prices that depend on something.",
    "price_list.by",
    "text",
    "yes",
    "On what: the name of an input, such as checkpoint or settings.quality.",
    "price_list.prices",
    "map",
    "yes",
    "A picture's price by its values.",
    "price_list.prices.*",
    "number 0..100000",
    "no",
    "One price.",
    "idempotent",
    "choice header|member|none",
    "no",
    paste0(
      "described: how the service knows a call that it has had before: by a header or a member ",
      "with {key}, or not at all. Then an answer that was lost is not asked for again without ",
      "--retry. If left out, it is where {key} is."
    )
  )
}

described_rules <- function() {
  table_by_row(
    ~place,
    ~when,
    ~needs,
    ~bans,
    "engines.*",
    "wait",
    "make",
    "",
    "engines.*",
    "key_query",
    "key",
    "key_header key_scheme",
    "engines.*.result",
    "unit_price",
    "cost",
    ""
  ) |>
    rbind(body_rules("engines.*", "make"), failure_rules("engines.*"))
}
