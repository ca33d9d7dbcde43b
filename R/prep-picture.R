# Reading pictures: recognised by content, not by name, and checked before they are decoded.

max_pixels <- 64e6
max_bytes <- 256e6

# Above this a picture is shrunk while it is decoded, to keep memory in bounds.
large_pixels <- 16e6

#' Read a picture
#'
#' Reads PNG, JPEG, WebP and TIFF, of 8 or 16 bits a channel, recognised by content, not by name.
#' EXIF orientation is applied; matrix colour profiles and a PNG's gamma are converted to sRGB;
#' transparency is laid over the backdrop. Pictures above 16 million pixels are reduced to a long
#' edge of 4096.
#'
#' @param path The picture's file. At most 64 million pixels and 256 MB, and one
#'   picture only: no animation, no pages.
#' @param backdrop The colour that shows through transparency: `"white"`,
#'   `"grey"`, `"black"` or `"#rrggbb"`.
#' @return An array rows x columns x 3 with sRGB values from 0 to 1. Its attribute `profile` is
#'   `"unknown"` if the file has a colour profile of another type, which was ignored;
#'   `shrunk_from` is `c(width, height)` of a picture that was shrunk.
#' @section Errors: `sprenn_error_picture` if the file is missing, empty, of another type, too
#'   large, has several pictures, or can't be decoded.
#' @family measures and evidence
#' @export
#' @examples
#' file <- tempfile(fileext = ".png")
#' png::writePNG(array(0.5, c(4, 6, 3)), file)
#' dim(read_picture(file))
read_picture <- function(path, backdrop = "white") {
  check_arguments(
    path = checkmate::check_string(path, min.chars = 1),
    backdrop = checkmate::check_string(backdrop, pattern = paint_pattern)
  )
  encoded <- open_picture(path)
  tryCatch(decode_picture(encoded, backdrop), error = function(e) stop_damaged(path, e))
}

# A file that may be decoded, as encoded_picture() has it.
open_picture <- function(path) {
  wrong <- if (!file.exists(path)) {
    "no such file"
  } else if (dir.exists(path)) {
    "a folder"
  } else if (file.size(path) == 0) {
    "an empty file"
  } else if (file.size(path) > max_bytes) {
    paste("a file of", show_size(file.size(path)))
  }
  if (!is.null(wrong)) {
    stop_picture(path, wrong)
  }

  bytes <- tryCatch(
    read_bytes(path),
    error = function(e) stop_picture(path, "a file that can't be read"),
    warning = function(w) stop_picture(path, "a file that can't be read")
  )
  tryCatch(encoded_picture(bytes), error = function(e) stop_picture(path, conditionMessage(e)))
}

# Bytes that may be decoded, with what their head says (`facts`), or an error
# with what keeps them from it.
encoded_picture <- function(bytes) {
  facts <- picture_facts(bytes)
  wrong <- bytes_problem(bytes, facts)
  if (!is.null(wrong)) {
    stop(wrong, call. = FALSE)
  }

  list(bytes = bytes, facts = facts)
}

stop_damaged <- function(path, e) {
  stop_picture(path, paste0("a damaged picture (", one_line(e), ")"))
}

stop_picture <- function(path, found) {
  stop_sprenn(
    "picture",
    c(
      paste0("Can't read the picture ", path, "."),
      x = paste("found", found),
      i = paste0(
        "expected a PNG, JPEG, WebP or TIFF picture, one to a file, of at most 64 million pixels ",
        "and 256 MB"
      )
    ),
    path = path
  )
}

# Why bytes can't be used as a picture, or NULL; nothing is decoded.
bytes_problem <- function(bytes, facts) {
  if (is.null(facts)) {
    kind <- file_kind(bytes)
    return(
      if (kind %in% names(picture_formats)) {
        paste("a", toupper(kind), "file that ends too early or is damaged")
      } else if (nzchar(kind)) {
        kind
      } else {
        "a file that is not a picture"
      }
    )
  }

  if (facts$width * facts$height > max_pixels) {
    return(paste0("a picture of ", facts$width, " x ", facts$height, " pixels"))
  }

  if (facts$frames > 1) {
    return(
      if (is.finite(facts$frames)) {
        paste("a file of", facts$frames, "pictures")
      } else {
        "an animation"
      }
    )
  }

  # Some decoders silently fill in missing data.
  if (ends_early(bytes, facts)) {
    paste("a", toupper(facts$format), "file that ends too early")
  }
}

# Pixels of an encoded picture.
decode_picture <- function(encoded, backdrop = "white") {
  samples <- decode_samples(encoded)
  # ImageMagick's copy of a large picture takes half a gigabyte until it is
  # collected.
  if (!is.null(samples$shrunk_from)) {
    gc(FALSE)
  }

  flatten_samples(samples, embedded_profile(encoded), backdrop)
}

# A picture of 8 bits a channel as it was decoded, where nothing of it needs to be converted:
# `bytes`, interleaved, and `size` (width, height). That is an eighth of its pixels as
# numbers; a photograph is brought to a working size without them. Other pictures come as pixels.
read_packed <- function(path, backdrop = "white") {
  encoded <- open_picture(path)
  tryCatch(decode_packed(encoded, backdrop), error = function(e) stop_damaged(path, e))
}

decode_packed <- function(encoded, backdrop = "white") {
  samples <- decode_samples(encoded)
  profile <- embedded_profile(encoded)
  if (is_plain(samples, profile)) {
    structure(samples[c("bytes", "size")], class = "sprenn_packed")
  } else {
    flatten_samples(samples, profile, backdrop)
  }
}

is_packed <- function(picture) inherits(picture, "sprenn_packed")

# Whether bytes out of a decoder are colours in sRGB, or grey.
is_plain <- function(samples, profile) {
  is.null(profile) && samples$depth == 8 && samples$channels %in% c(1, 3)
}

size_of_picture <- function(picture) {
  if (is_packed(picture)) picture$size else dim(picture)[2:1]
}

unpacked <- function(picture) {
  channels <- length(picture$bytes) / prod(picture$size)
  flatten_picture(
    core_unpack(picture$bytes, picture$size[1], picture$size[2], channels, 8L)
  )
}

# Samples as they come out of a decoder, as pixels.
flatten_samples <- function(samples, profile = NULL, backdrop = "white") {
  pixels <- core_unpack(
    samples$bytes,
    samples$size[1],
    samples$size[2],
    samples$channels,
    samples$depth
  )
  if (samples$grey && samples$channels == 4) {
    pixels <- pixels[, , c(1, 4), drop = FALSE]
  }

  if (!is.null(samples$shrunk_from)) {
    attr(pixels, "shrunk_from") <- samples$shrunk_from
  }

  flatten_picture(pixels, backdrop, profile)
}

# Decodes bytes whose format is known and whose structure is whole: plain PNG files with libpng, all
# others with ImageMagick. It is given no file name. The samples come straight from its memory.
decode_samples <- function(encoded) {
  facts <- encoded$facts
  size <- c(facts$width, facts$height)
  # Working sizes are far smaller, so nothing relevant is lost where it is made smaller.
  large <- prod(size) > large_pixels
  layout <- if (!large) plain_layout(encoded)
  if (facts$format == "png" && !is.null(layout)) {
    channels <- samples_a_pixel[[layout]]
    bytes <- core_read_png(encoded$bytes, size[1], size[2], channels)
    # ImageMagick has the last word on damaged ones.
    if (!is.null(bytes)) {
      return(plain_bytes(bytes, layout, size))
    }
  }

  picture <- decode_whole(encoded)
  if (large) {
    picture <- magick::image_scale(picture, "4096x4096>")
  }

  plain <- plain_samples(picture, layout, size)
  plain %||% any_samples(picture, if (facts$bits > 8) 16L else 8L, size)
}

decode_whole <- function(encoded) {
  picture <- withCallingHandlers(
    magick::image_read(without_gamma(encoded)),
    warning = function(w) invokeRestart("muffleWarning")
  )
  if (length(picture) == 0) {
    stop("its data are not in order")
  }

  if (length(picture) > 1) {
    stop("more than one picture")
  }

  magick::image_orient(picture)
}

samples_a_pixel <- c(rgba = 4L, rgb = 3L, gray = 1L)

# The samples of a picture that is as the head of its file has it; NULL if it is not, and has
# to be asked.
plain_samples <- function(picture, layout, size) {
  if (is.null(layout)) {
    return(NULL)
  }

  samples <- magick::image_write(picture, format = layout, depth = 8L)
  if (length(samples) == prod(size) * samples_a_pixel[[layout]]) {
    plain_bytes(samples, layout, size)
  }
}

plain_bytes <- function(bytes, layout, size) {
  list(
    bytes = bytes,
    size = size,
    depth = 8L,
    channels = samples_a_pixel[[layout]],
    grey = layout == "gray"
  )
}

any_samples <- function(picture, depth, size) {
  info <- magick::image_info(picture)
  grey <- info$colorspace == "Gray"
  if (!grey && info$colorspace != "sRGB") {
    picture <- magick::image_convert(picture, colorspace = "sRGB")
  }

  layout <- if (info$matte) {
    "rgba"
  } else if (grey) {
    "gray"
  } else {
    "rgb"
  }
  own <- c(info$width, info$height)
  bytes <- magick::image_write(picture, format = layout, depth = depth)
  opaque <- if (layout == "rgba" && depth == 8L) core_without_alpha(bytes)
  list(
    bytes = opaque %||% bytes,
    size = own,
    depth = depth,
    channels = if (is.null(opaque)) samples_a_pixel[[layout]] else 3L,
    grey = grey,
    shrunk_from = if (max(own) < max(size)) size
  )
}

# The layout of an upright, opaque picture of 8 bits, read from its header; NULL where the header
# does not say.
plain_layout <- function(encoded) {
  facts <- encoded$facts
  bytes <- encoded$bytes
  if (facts$format == "jpeg") {
    markers <- vapply(facts$parts, `[[`, 0L, "marker")
    frame <- facts$parts[[match(TRUE, markers %in% frame_markers)]]
    # Beside JFIF's own note (0xe0) and a profile (0xe2) nothing can turn it.
    return(
      if (!any(markers %in% c(0xe1, 0xee))) {
        switch(as.character(as.integer(bytes[frame$at + 9])),
          "1" = "gray",
          "3" = "rgb"
        )
      }
    )
  }

  chunks <- if (facts$format == "png" && facts$bits == 8) facts$parts$kind
  if (!is.null(chunks) && !any(c("tRNS", "eXIf") %in% chunks)) {
    switch(as.character(as.integer(bytes[26])),
      "0" = "gray",
      "2" = "rgb"
    )
  }
}

# A PNG without its notes on gamma, which ImageMagick would follow in some cases
# and not in others: they are followed in prep-profile.R.
without_gamma <- function(encoded) {
  bytes <- encoded$bytes
  chunks <- if (encoded$facts$format == "png") encoded$facts$parts
  for (k in rev(which(chunks$kind %in% c("gAMA", "cHRM")))) {
    bytes <- bytes[-(chunks$at[k] + 0:(chunks$size[k] + 11))]
  }

  bytes
}

# One to four channels to three: colours to sRGB, transparency on the backdrop.
flatten_picture <- function(pixels, backdrop = "white", profile = NULL) {
  shrunk_from <- attr(pixels, "shrunk_from")
  channels <- dim(pixels)[3]
  alpha <- if (channels %in% c(2, 4)) c(pixels[, , channels])
  pixels <- to_srgb(
    if (is.null(alpha)) pixels else pixels[, , -channels, drop = FALSE],
    profile
  )
  left_out <- attr(pixels, "profile")
  if (dim(pixels)[3] == 1) {
    pixels <- pixels[, , c(1, 1, 1), drop = FALSE]
  }

  if (!is.null(alpha) && any(alpha < 1)) {
    pixels <- pixels * alpha + rep(paint_values(backdrop), each = length(alpha)) * (1 - alpha)
  }

  # Setting an attribute copies the pixels.
  if (!identical(attr(pixels, "shrunk_from"), shrunk_from)) {
    attr(pixels, "shrunk_from") <- shrunk_from
  }

  if (!identical(attr(pixels, "profile"), left_out)) {
    attr(pixels, "profile") <- left_out
  }

  pixels
}

# Large pictures are shown small anyway.
shrunk_copy <- function(pixels, edge = 640) {
  size <- dim(pixels)[2:1]
  if (max(size) > edge) {
    resize_picture(pixels, pmax(1, round(size * edge / max(size))))
  } else {
    pixels
  }
}
