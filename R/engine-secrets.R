# Keys are read from the environment when they are used, and never written: what
# is kept or shown has them taken out, in the forms in which they travel.

secret_values <- function(names) {
  if (length(names) == 0) {
    return(character())
  }

  values <- Sys.getenv(names, names = TRUE)
  # A word of a few letters would be found everywhere.
  values[nchar(values) >= 6]
}

mask_secrets <- function(text, names) {
  values <- secret_values(names)
  for (name in names(values)) {
    forms <- c(
      values[[name]],
      utils::URLencode(values[[name]], reserved = TRUE),
      openssl::base64_encode(charToRaw(values[[name]]))
    )
    for (form in unique(forms)) {
      text <- gsub(form, paste0("(", name, ")"), text, fixed = TRUE, useBytes = FALSE)
    }
  }

  text
}

# The same all through a list.
mask_said <- function(said, names) {
  if (is.list(said)) {
    names(said) <- if (!is.null(names(said))) mask_secrets(names(said), names)
    said[] <- lapply(said, mask_said, names = names)
  } else if (is.character(said)) {
    said[] <- mask_secrets(said, names)
  }

  said
}

# The value of one key, or a failure that says how to give it.
secret_value <- function(name) {
  value <- Sys.getenv(name)
  if (!nzchar(value)) {
    engine_failure(
      "bad_request",
      paste0("The environment variable ", name, ", which should hold the key, is not set.")
    )
  }

  value
}
