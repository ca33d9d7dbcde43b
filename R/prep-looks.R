# Warnings about looks, and about references that show the same.

# Words of a prompt that a look can't go with, by what is measured of its
# pictures.
style_claims <- list(
  list(
    words = "black and white|monochrome|gr[ea]yscale|sepia|one colour",
    off = function(tone) tone["one_hue"] < 0.7,
    says = "a look in several colours"
  ),
  list(
    words = "colou?rful|vivid|many colours|rainbow",
    off = function(tone) tone["chroma"] < 0.035,
    says = "a look with hardly any colour"
  ),
  list(
    words = "pastel|pale colours",
    off = function(tone) tone["lightness"] < 0.55,
    says = "a dark look"
  )
)

look_warning <- function(case, i, suite) {
  if (is.na(case$look) || case$neutral) {
    return(NULL)
  }

  say <- tolower(paste(vapply(case$prompt, `[[`, "", "say"), collapse = ", "))
  off <- Filter(function(style) grepl(paste0("\\b(", style$words, ")\\b"), say), style_claims)
  if (length(off)) {
    tone <- rowMeans(vapply(suite$looks[[case$look]], picture_tone, numeric(3)))
    off <- Filter(function(style) style$off(tone), off)
  }

  other <- Filter(
    function(name) grepl(paste0("\\b", name, "\\b"), say),
    setdiff(tolower(names(suite$looks)), tolower(case$look))
  )
  if (length(off) + length(other) == 0) {
    return(NULL)
  }

  word <- if (length(off)) regmatches(say, regexpr(off[[1]]$words, say)) else other[1]
  new_warning(
    "look against prompt",
    i,
    "prompt",
    paste0(
      "the word ", quoted(word), " beside the look ", quoted(case$look),
      if (length(off)) paste0(", ", off[[1]]$says)
    ),
    "a prompt and a look that ask for the same: engines mix the two up"
  )
}

picture_tone <- function(path) {
  lab <- matrix(small_oklab(path, 96), ncol = 3, dimnames = list(NULL, c("L", "a", "b")))
  c(
    one_hue = mean(in_one_hue(lab)),
    lightness = mean(lab[, "L"]),
    chroma = mean(sqrt(lab[, "a"]^2 + lab[, "b"]^2))
  )
}

small_oklab <- function(path, edge) core_oklab(read_picture(path), edge, edge)

# Several references that are next to one and the same picture count double.
twin_warnings <- function(case, i, suite) {
  if (length(case$references) < 2) {
    return(list())
  }

  coarse <- lapply(case$references, function(reference) small_oklab(reference$path, 24))
  pairs <- utils::combn(length(coarse), 2, simplify = FALSE)
  lapply(pairs, function(pair) {
    apart <- mean(sqrt(rowSums((coarse[[pair[1]]] - coarse[[pair[2]]])^2, dims = 2)))
    if (apart < 0.03) {
      names <- basename(vapply(case$references[pair], `[[`, "", "path"))
      new_warning(
        "twins",
        i,
        paste0("references[", pair[2], "]"),
        paste0(names[2], ", almost identical to ", names[1]),
        "pictures that differ, or one of them with a higher weight"
      )
    }
  })
}
