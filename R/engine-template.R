# Templates of what a described service is told: YAML whose texts name inputs in braces. A text
# that is nothing but a name takes on the input's type, so that a number stays a number; names
# within a text become part of it. What an input holds is data and is never read as a template.

# A template with the inputs of a request in it, or `left_out` if nothing of it is there. `named`
# has what else is known, such as the answers of earlier calls.
#
# A leaf whose input the case lacks is left out, and with it a map or list that held nothing else.
# `when: NAME` in a map leaves all of it out without that input; `each: WORD` with `of: TEMPLATE` is
# a list with an element for each of several (each_of).
fill_template <- function(template, request, named = list()) {
  if (is.character(template) && length(template) == 1) {
    return(fill_text(template, request, named))
  }

  if (!is.list(template) || length(template) == 0) {
    return(template)
  }

  if (!is.null(template[["when"]])) {
    if (is.null(input_named(template[["when"]], request, named))) {
      return(left_out)
    }

    template <- template[names(template) != "when"]
  }

  filled <- if (!is.null(template[["each"]])) {
    lapply(each_of[[template[["each"]]]](request), function(one) {
      fill_template(template[["of"]], request, c(one, named))
    })
  } else {
    lapply(template, fill_template, request, named)
  }
  kept <- filled[!vapply(filled, identical, NA, left_out)]
  if (length(kept)) kept else left_out
}

left_out <- structure(list(), class = "sprenn_left_out")

# What `each` can be, and what is then named of each element.
each_of <- list(
  seeds = function(request) lapply(request$seeds, function(seed) list(seed = seed)),
  phrases = function(request) {
    Map(
      function(say, weight) list(phrase = say, phrase.weight = weight),
      request$prompt$say,
      request$prompt$weight,
      USE.NAMES = FALSE
    )
  },
  references = function(request) {
    Map(
      function(picture, weight) list(reference = picture, reference.weight = weight),
      request$references,
      request$reference_weights,
      USE.NAMES = FALSE
    )
  },
  looks = function(request) unname(lapply(request$looks, function(picture) list(look = picture))),
  guides = function(request) {
    unname(Map(
      function(guide, kind) {
        list(
          guide = guide$picture,
          guide.kind = kind,
          guide.weight = guide$weight,
          guide.release = guide$release
        )
      },
      request$guides,
      names(request$guides)
    ))
  },
  # Of judges.
  statements = function(request) lapply(request$statements, function(one) list(statement = one)),
  add_ons = function(request) {
    unname(Map(
      function(weight, name) list(add_on = name, add_on.weight = weight),
      request$add_ons,
      names(request$add_ons)
    ))
  }
)

fill_text <- function(text, request, named) {
  pieces <- regmatches(text, gregexpr(name_in_braces, text, perl = TRUE))[[1]]
  if (length(pieces) == 0) {
    return(text)
  }

  values <- lapply(substr(pieces, 2, nchar(pieces) - 1), input_named, request, named)
  if (any(vapply(values, is.null, NA))) {
    return(left_out)
  }

  if (identical(pieces, text)) {
    return(values[[1]])
  }

  texts <- vapply(values, function(value) paste(texts_of(value), collapse = ", "), "")
  around <- strsplit(paste0(text, " "), name_in_braces, perl = TRUE)[[1]]
  joined <- paste0(around, c(texts, ""), collapse = "")
  substr(joined, 1, nchar(joined) - 1)
}

name_in_braces <- "\\{[a-z_]+(?:[.][A-Za-z0-9_-]+)*\\}"

# The names in a template, each once.
names_in_template <- function(template) {
  texts <- unlist(template)
  texts <- texts[vapply(texts, is.character, NA)]
  found <- unlist(regmatches(texts, gregexpr(name_in_braces, texts, perl = TRUE)))
  unique(substr(found, 2, nchar(found) - 1))
}

# The input of a name, or NULL if the request has none. A picture comes in the form that the last
# part of its name says (picture_forms); what was uploaded is among the `named`.
input_named <- function(name, request, named = list()) {
  if (!is.null(named[[name]])) {
    return(named[[name]])
  }

  parts <- strsplit(name, ".", fixed = TRUE)[[1]]
  form <- picture_forms[[parts[length(parts)]]]
  if (!is.null(form)) {
    of <- parts[-length(parts)]
    picture <- named[[paste(of, collapse = ".")]] %||% picture_named(of, request)
    return(if (!is.null(picture)) form(picture))
  }

  switch(parts[1],
    settings = ,
    add_ons = none_if_empty(part_at(request, parts)),
    guides = if (parts[3] %in% c("weight", "release")) part_at(request, parts),
    plain_input(name, request)
  )
}

# What a path of names leads to in nested lists, or NULL.
part_at <- function(values, parts) Reduce(function(value, part) value[[part]], parts, values)

plain_input <- function(name, request) {
  reader <- plain_inputs[[name]]
  if (!is.null(reader)) reader(request)
}

# Inputs that are no pictures, by name.
plain_inputs <- list(
  prompt = function(request) none_if_empty(request$text),
  negative = function(request) none_if_empty(paste(request$negative, collapse = ", ")),
  seed = function(request) request$seeds[1],
  seeds = function(request) as.list(request$seeds),
  count = function(request) length(request$seeds),
  width = function(request) request$size[1],
  height = function(request) request$size[2],
  aspect = function(request) aspect_words(request$size),
  hold = function(request) null_for_na(request$hold),
  knob = function(request) null_for_na(request$native_hold),
  checkpoint = function(request) request$checkpoint,
  look_weight = function(request) if (length(request$looks)) request$look_weight,
  enlarge = function(request) request$enlarge,
  key = function(request) request$key
)

# Width to height in small numbers, such as 3:2.
aspect_words <- function(size) {
  divisor <- function(a, b) if (b == 0) a else divisor(b, a %% b)
  paste(size / divisor(size[1], size[2]), collapse = ":")
}

none_if_empty <- function(value) if (length(value) && any(nzchar(value))) value

# The picture that is meant by the parts of a name: reference, look, mask or a guide, or what a
# judge is shown.
picture_named <- function(parts, request) {
  switch(parts[1],
    reference = request[["reference"]],
    look = if (length(request$looks)) request$looks[[1]],
    picture = request$picture,
    mask = request$mask,
    mask_kept = turned_mask(request$mask),
    mask_clear = clear_mask(request$mask),
    guides = if (length(parts) == 2) request$guides[[parts[2]]]$picture
  )
}

# A mask is white where the picture is to change. Some services want it white where it is to stay,
# others clear where it is to change.
turned_mask <- function(mask) {
  if (!is.null(mask)) {
    1 - matrix(as.numeric(mask), nrow(mask))
  }
}

clear_mask <- function(mask) {
  if (!is.null(mask)) {
    clear <- array(0, c(dim(mask)[1:2], 4))
    clear[, , 4] <- turned_mask(mask)
    clear
  }
}

# How a picture is told: as text in base64, as a data URL (RFC 2397), or as a part of a form.
picture_forms <- list(
  base64 = function(picture) openssl::base64_encode(png_part(picture)$bytes),
  data_url = function(picture) {
    paste0("data:image/png;base64,", openssl::base64_encode(png_part(picture)$bytes))
  },
  part = function(picture) structure(png_part(picture), class = "sprenn_part")
)
