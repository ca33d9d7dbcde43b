# URI Templates (RFC 6570), all four levels.

# How each operator writes what it expands: what comes `first`, what stands `between`, whether
# values are `named`, what follows a name without a value (`empty`), and whether reserved
# characters stay (RFC 6570, appendix A).
template_operators <- list(
  " " = list(first = "", between = ",", named = FALSE, empty = "", reserved = FALSE),
  "+" = list(first = "", between = ",", named = FALSE, empty = "", reserved = TRUE),
  "#" = list(first = "#", between = ",", named = FALSE, empty = "", reserved = TRUE),
  "." = list(first = ".", between = ".", named = FALSE, empty = "", reserved = FALSE),
  "/" = list(first = "/", between = "/", named = FALSE, empty = "", reserved = FALSE),
  ";" = list(first = ";", between = ";", named = TRUE, empty = "", reserved = FALSE),
  "?" = list(first = "?", between = "&", named = TRUE, empty = "=", reserved = FALSE),
  "&" = list(first = "&", between = "&", named = TRUE, empty = "=", reserved = FALSE)
)

# Reads a template into its pieces: texts, and expressions, lists of an `operator` and `names`,
# `cut` (letters, NA for all) and `explode`. A `sprenn_error_template` says what is wrong.
read_template <- function(text) {
  pieces <- regmatches(text, gregexpr("\\{[^{}]*\\}|[^{}]+|[{}]", text))[[1]]
  lapply(pieces, function(piece) {
    if (grepl("^\\{.*\\}$", piece)) {
      read_expression(substr(piece, 2, nchar(piece) - 1))
    } else if (piece %in% c("{", "}")) {
      stop_sprenn("template", "a brace that is not closed, or was not opened")
    } else {
      piece
    }
  })
}

read_expression <- function(inside) {
  operator <- if (substr(inside, 1, 1) %in% names(template_operators)) substr(inside, 1, 1) else " "
  # strsplit() drops an empty name at the end.
  specs <- strsplit(paste0(sub("^[+#./;?&]", "", inside), ",."), ",", fixed = TRUE)[[1]]
  specs <- specs[-length(specs)]
  name <- "(?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2})+(?:[.](?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2})+)*"
  fits <- grepl(paste0("^", name, "([*]|:[1-9][0-9]{0,3})?$"), specs, perl = TRUE)
  if (length(specs) == 0 || !all(fits)) {
    stop_sprenn("template", paste0(quoted(paste0("{", inside, "}")), " names no variable"))
  }

  list(
    operator = operator,
    names = sub("([*]|:[0-9]+)$", "", specs),
    cut = as.integer(ifelse(grepl(":", specs), sub("^.*:", "", specs), NA)),
    explode = endsWith(specs, "*")
  )
}

# The names of the variables of a template.
template_names <- function(pieces) {
  unique(unlist(lapply(Filter(is.list, pieces), `[[`, "names")))
}

# The address that a template stands for. `values` is a named list of texts or numbers, of lists of
# them, or of named lists; a variable that it lacks, or that is NULL or empty, is left out.
expand_template <- function(pieces, values) {
  paste(
    vapply(
      pieces,
      function(piece) {
        if (is.list(piece)) expand_expression(piece, values) else escaped(piece, reserved = TRUE)
      },
      ""
    ),
    collapse = ""
  )
}

expand_expression <- function(one, values) {
  how <- template_operators[[one$operator]]
  given <- which(lengths(values[one$names]) > 0)
  said <- vapply(
    given,
    function(k) {
      name <- one$names[k]
      value <- values[[name]]
      if (is.list(value) || length(value) > 1) {
        expand_several(name, value, one$explode[k], how)
      } else {
        text <- value_text(value)
        if (!is.na(one$cut[k])) {
          text <- substr(text, 1, one$cut[k])
        }

        with_name(name, escaped(text, how$reserved), how)
      }
    },
    ""
  )
  if (length(said)) paste0(how$first, paste(said, collapse = how$between)) else ""
}

# A list, or a named list as its names and values.
expand_several <- function(name, value, explode, how) {
  texts <- escaped(vapply(value, value_text, ""), how$reserved)
  keys <- names(value)
  if (!is.null(keys)) {
    keys <- escaped(keys, how$reserved)
    if (explode) {
      return(paste(paste0(keys, "=", texts), collapse = how$between))
    }

    texts <- as.vector(rbind(keys, texts))
  }

  if (explode) {
    paste(vapply(texts, with_name, "", name = name, how = how), collapse = how$between)
  } else {
    with_name(name, paste(texts, collapse = ","), how)
  }
}

with_name <- function(name, text, how) {
  if (!how$named) {
    return(text)
  }

  paste0(name, if (nzchar(text)) paste0("=", text) else how$empty)
}

value_text <- function(value) {
  if (is.numeric(value)) {
    format(value, digits = 15, scientific = FALSE)
  } else if (is.logical(value)) {
    tolower(as.character(value))
  } else {
    as.character(value)
  }
}

# The plain values of a list, each as a text.
texts_of <- function(values) {
  plain <- Filter(function(one) is.atomic(one) && length(one) == 1, as.list(values))
  vapply(unname(plain), value_text, "")
}

# Percent-encodes all but unreserved letters; where `reserved` ones may stay, they and what is
# encoded already do as well.
escaped <- function(texts, reserved) {
  kept <- if (reserved) {
    "%[0-9A-Fa-f]{2}|[]A-Za-z0-9._~:/?#[@!$&'()*+,;=-]"
  } else {
    "[A-Za-z0-9._~-]"
  }
  vapply(
    enc2utf8(texts),
    function(text) {
      pieces <- regmatches(text, gregexpr(paste0(kept, "|(?s:.)"), text, perl = TRUE))[[1]]
      plain <- grepl(paste0("^(", kept, ")$"), pieces, perl = TRUE)
      pieces[!plain] <- vapply(
        pieces[!plain],
        function(letter) paste0("%", toupper(charToRaw(letter)), collapse = ""),
        ""
      )
      paste(pieces, collapse = "")
    },
    "",
    USE.NAMES = FALSE
  )
}
