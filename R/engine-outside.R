# What engines and judges say, made fit to be kept and shown: control characters are cleaned, keys
# are masked, and only then are long messages cut, so that no part of a key is left over.

# A message, cut after so many characters.
longest_message <- 500

safe_message <- function(text, secrets) {
  text <- mask_secrets(clean_text(text), secrets)
  if (nchar(text) <= longest_message) {
    return(text)
  }

  paste0(substr(text, 1, longest_message - 3), "...")
}

# All texts of a list, and its names.
safe_said <- function(said, secrets) {
  masks <- masks_of(secrets)
  change_texts(said, function(text) mask_text(clean_text(text), masks))
}

# Keys are read from the environment when they are used, and never written: they are removed from
# everything that is kept or shown, in every spelling that a server may have echoed.
mask_secrets <- function(text, secrets) mask_text(text, masks_of(secrets))

# The patterns to look for, each named by the variable of its key.
masks_of <- function(secrets) {
  values <- secret_values(secrets)
  patterns <- lapply(values, spellings_of)
  stats::setNames(as.character(unlist(patterns)), rep(names(values), lengths(patterns)))
}

mask_text <- function(text, masks) {
  for (i in seq_along(masks)) {
    text <- gsub(masks[[i]], paste0("(", names(masks)[i], ")"), text, perl = TRUE)
  }

  text
}

secret_values <- function(names) {
  if (length(names) == 0) {
    return(character())
  }

  values <- Sys.getenv(names, names = TRUE)
  # A value of a few letters would match everywhere.
  values[nchar(values) >= 6]
}

# Patterns for the forms in which a key may come back: as it is, with any of its characters as
# URLs, JSON or HTML spell them, in hex digits, and in base64, by itself or behind other text such
# as `user:`, which shifts it by up to two bytes. Of a very long key the start is looked for, and
# what follows it goes too.
spellings_of <- function(value) {
  whole <- charToRaw(enc2utf8(value))
  bytes <- whole[seq_len(min(length(whole), most_bytes_sought))]
  # Some writers break base64 into lines.
  rest <- if (length(whole) > length(bytes)) {
    "(?:\\s{0,2}[A-Za-z0-9+/_=-]+)*"
  } else {
    "[A-Za-z0-9+/_=-]*"
  }
  shifted <- vapply(0:2, spelled_in_base64, "", bytes = bytes)
  c(
    spelled_in_text(value),
    paste0("(?i)", paste(bytes, collapse = "[ :.-]?"), "(?:[ :.-]?[0-9a-f]{2})*"),
    paste0("(?:", paste(shifted, collapse = "|"), ")", rest)
  )
}

most_bytes_sought <- 96

spelled_in_text <- function(value) {
  characters <- strsplit(enc2utf8(value), "")[[1]]
  sought <- characters[seq_len(min(length(characters), most_bytes_sought))]
  one <- function(character) {
    code <- utf8ToInt(character)
    bytes <- as.character(charToRaw(character))
    paste0(
      "(?:\\\\*", if (code < 128) sprintf("\\x{%x}", code) else character,
      "|", paste0("%(?:25)*", bytes, collapse = ""),
      sprintf("|\\\\+u%04x", code),
      sprintf("|&#(?:0*%d|x0*%x);", code, code),
      if (character %in% names(named_in_html)) paste0("|&", named_in_html[[character]], ";"),
      ")"
    )
  }
  rest <- if (length(characters) > length(sought)) "[^\\s\"'<>]*" else ""
  paste0("(?i)", paste(vapply(sought, one, ""), collapse = ""), rest)
}

named_in_html <- c("&" = "amp", "<" = "lt", ">" = "gt", "\"" = "quot", "'" = "apos")

# The digits of base64 that depend on these bytes alone when `shift` bytes stand before them.
spelled_in_base64 <- function(shift, bytes) {
  digits <- openssl::base64_encode(c(raw(shift), bytes))
  first <- ceiling(shift * 8 / 6)
  last <- (shift + length(bytes)) * 8 %/% 6
  inner <- strsplit(substr(digits, first + 1, last), "")[[1]]
  inner <- ifelse(
    inner == "+", "(?:[+-]|%2[Bb])",
    ifelse(inner == "/", "(?:\\\\*/|_|%2[Ff])", inner)
  )
  paste(inner, collapse = "\\s{0,2}")
}

# The bytes of a picture without the metadata in which a key stands. Metadata that is compressed
# is not opened, and goes. A format whose parts can't be taken out is refused.
mask_picture <- function(bytes, secrets) {
  masks <- masks_of(secrets)
  if (length(masks) == 0) {
    return(bytes)
  }

  parts <- metadata_parts(bytes)
  if (is.null(parts)) {
    if (holds_secret(bytes, masks)) {
      # Its next pictures would hold it too, and be paid for.
      raise_failure(
        "bad_answer",
        "The picture's file holds the engine's key; it was not kept.",
        lasting = TRUE
      )
    }

    return(bytes)
  }

  gone <- Filter(
    function(part) part$compressed || holds_secret(bytes[part$bytes], masks),
    parts
  )
  if (length(gone)) bytes[-unlist(lapply(gone, `[[`, "bytes"))] else bytes
}

# Zeros are left out, so that text in two bytes a character is found too.
holds_secret <- function(bytes, masks) {
  text <- clean_text(rawToChar(bytes[bytes != 0]))
  any(vapply(masks, grepl, NA, text, perl = TRUE))
}

# The value of a key, or a failure that says how to set it.
secret_value <- function(name) {
  value <- Sys.getenv(name)
  if (!nzchar(value)) {
    raise_failure(
      "bad_request",
      paste0("The environment variable ", name, ", which should hold the key, is not set."),
      lasting = TRUE
    )
  }

  value
}

# A failure after which asking again would be paid for again.
as_paid <- function(failure) {
  if (!isTRUE(failure$paid)) {
    failure$message <- paste(
      sub("[.]?$", ".", conditionMessage(failure)),
      "It may have been paid for; `run --retry` asks for it again."
    )
    failure$paid <- TRUE
  }

  failure
}
