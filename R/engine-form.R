# Requests as forms over HTTP, and as files for programs.

# The request as parts of a form: `request` in JSON, pictures as PNG of 8 bits
# without interlace.
request_parts <- function(request) {
  pictures <- c(
    numbered("reference", request$references),
    numbered("look", request$looks),
    lapply(
      stats::setNames(request$guides, paste0("guide-", names(request$guides), recycle0 = TRUE)),
      `[[`,
      "picture"
    ),
    if (!is.null(request$mask)) list(mask = request$mask)
  )
  pictures <- Filter(Negate(is.null), pictures)
  said <- list(
    prompt = lapply(seq_len(nrow(request$prompt)), function(i) as.list(request$prompt[i, ])),
    text = request$text,
    negative = as.list(request$negative),
    hold = null_for_na(request$hold),
    knob = null_for_na(request$native_hold),
    checkpoint = request$checkpoint,
    settings = named_list(request$settings),
    add_ons = named_list(request$add_ons),
    size = request$size,
    seeds = as.list(request$seeds),
    references = Map(
      function(part, weight) list(part = part, weight = weight),
      names(numbered("reference", request$references)),
      request$reference_weights,
      USE.NAMES = FALSE
    ),
    looks = lapply(names(numbered("look", request$looks)), function(part) list(part = part)),
    look_weight = request$look_weight,
    guides = named_list(
      Map(
        function(kind, guide) {
          c(
            if (!is.null(guide$picture)) list(part = paste0("guide-", kind)),
            guide[c("weight", "release")],
            if (!is.null(guide$figures)) guide["figures"]
          )
        },
        names(request$guides),
        request$guides
      )
    ),
    mask = if (!is.null(request$mask)) {
      Filter(Negate(is.null), list(part = "mask", context = request$context))
    },
    enlarge = request$enlarge,
    part = request$part,
    grow = if (any(request$grow > 0)) request$grow
  )
  said <- Filter(Negate(is.null), said)
  c(
    list(request = list(bytes = charToRaw(enc2utf8(to_json(said))), type = "application/json")),
    lapply(pictures, png_part)
  )
}

numbered <- function(word, pictures) {
  stats::setNames(pictures, paste0(word, "-", seq_along(pictures), recycle0 = TRUE))
}

null_for_na <- function(x) if (is.null(x) || is.na(x)) NULL else x

# A picture that many requests share is encoded once, and its bytes are kept with it.
png_part <- function(picture) {
  list(bytes = attr(picture, "png") %||% png::writePNG(picture), type = "image/png")
}

with_png <- function(picture) structure(picture, png = png::writePNG(picture))
