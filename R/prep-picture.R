# Reading pictures: known by their content and not by their name, and measured
# before they are decoded.

max_pixels <- 64e6
max_bytes <- 256e6
# Above this a picture is shrunk while it is decoded, to keep memory in bounds.
large_pixels <- 16e6

#' Read a picture as it is measured
#'
#' Reads PNG, JPEG, WebP and TIFF, of 8 or 16 bits a channel, told apart by their
#' content and never by their names. EXIF orientation is applied; colour profiles
#' made of curves and a matrix, and a PNG's gamma, are brought to sRGB;
#' transparency is laid on the backdrop. What is larger than 16 million pixels
#' comes back with a long edge of 4096.
#'
#' @param path The picture's file. At most 64 million pixels and 256 MB, and one
#'   picture only: no animation, no pages.
#' @param backdrop The colour that shows through transparency: `"white"`,
#'   `"grey"`, `"black"` or `"#rrggbb"`.
#' @return An array rows x columns x 3 with sRGB values from 0 to 1. Its
#'   attribute `profile` is `"unknown"` when the file has a colour profile of
#'   another build, which was left out; `shrunk_from` is `c(width, height)` of a
#'   picture that was shrunk.
#' @section Errors: `sprenn_error_picture` when the file is missing, empty, of
#'   another type, too large, of several pictures, or can't be decoded.
#' @export
#' @examples
#' file <- tempfile(fileext = ".png")
#' png::writePNG(array(0.5, c(4, 6, 3)), file)
#' dim(read_picture(file))
read_picture <- function(path, backdrop = "white") {
  check_arguments(
    path = checkmate::check_string(path, min.chars = 1), backdrop = checkmate::check_string(backdrop, pattern = paint_pattern)
  )
  wrong <- if (!file.exists(path)) {
    "no such file"
  } else if (dir.exists(path)) {
    "a folder"
  } else if (file.size(path) == 0) {
    "an empty file"
  } else if (file.size(path) > max_bytes) {
    paste0("a file of ", round(file.size(path) / 1e6), " MB")
  }
  if (!is.null(wrong)) stop_picture(path, wrong)
  bytes <- tryCatch(read_bytes(path), error = function(e) stop_picture(path, "a file that can't be read"), warning = function(w) stop_picture(path, "a file that can't be read"))
  wrong <- bytes_problem(bytes)
  if (!is.null(wrong)) stop_picture(path, wrong)
  tryCatch(decode_picture(bytes, backdrop), error = function(e) stop_picture(path, paste0("a damaged picture (", one_line(e), ")")))
}

stop_picture <- function(path, found) {
  stop_sprenn("picture", c(
    paste0("Can't read the picture ", path, "."),
    x = paste("found", found),
    i = "wanted a PNG, JPEG, WebP or TIFF picture, one to a file, of at most 64 million pixels and 256 MB"
  ), path = path)
}

one_line <- function(e) {
  text <- sub("^.*libpng error: |^Error: |^.*R: ", "", conditionMessage(e))
  trimws(gsub("[[:space:]]+", " ", sub(" *`' @.*$| @ error/.*$", "", text)))
}

read_bytes <- function(path) readBin(path, "raw", file.size(path))

# What keeps bytes from being used as a picture, or NULL; nothing is decoded.
bytes_problem <- function(bytes) {
  facts <- picture_facts(bytes)
  if (is.null(facts)) {
    kind <- file_kind(bytes)
    return(if (kind %in% names(picture_formats)) paste("a", toupper(kind), "file that ends too early or is damaged") else if (nzchar(kind)) kind else "a file that is no picture")
  }
  if (facts$width * facts$height > max_pixels) {
    return(paste0("a picture of ", facts$width, " x ", facts$height, " pixels"))
  }
  if (facts$frames > 1) {
    if (is.finite(facts$frames)) paste("a file of", facts$frames, "pictures") else "an animation"
  }
}

# Pixels of an encoded picture: plain, undamaged PNG by the png package, which is
# several times faster; the rest by ImageMagick, which stands damaged bytes. Both
# are given bytes whose kind is known, and no file name.
decode_picture <- function(bytes, backdrop = "white") {
  wrong <- bytes_problem(bytes)
  if (!is.null(wrong)) stop(wrong)
  facts <- picture_facts(bytes)
  size <- c(facts$width, facts$height)
  small <- prod(size) <= large_pixels
  pixels <- if (facts$format == "png" && small && is_plain_png(bytes)) decode_png(bytes) else decode_by_magick(bytes)
  if (length(dim(pixels)) == 2) pixels <- array(pixels, c(dim(pixels), 1))
  own <- dim(pixels)[2:1]
  if (max(own) < max(size)) attr(pixels, "shrunk_from") <- as.numeric(size)
  flatten_picture(pixels, bytes, facts$format, backdrop)
}

# Whether a PNG file has 8 or 16 bits of grey or colour, no palette, no
# interlacing, nothing about orientation, and every checksum in order: the png
# package writes past its memory when handed damaged files.
is_plain_png <- function(bytes) {
  if (!as.integer(bytes[25]) %in% c(8, 16) || !as.integer(bytes[26]) %in% c(0, 2, 4, 6) || any(bytes[27:29] != 0)) {
    return(FALSE)
  }
  chunks <- png_chunks(bytes)
  last <- match("IEND", chunks$kind)
  if (is.na(last) || chunks$at[last] + 11 + chunks$size[last] > length(bytes)) {
    return(FALSE)
  }
  sound <- vapply(seq_len(last), function(i) {
    end <- chunks$at[i] + 7 + chunks$size[i]
    stated <- sub("^0+", "", paste(bytes[end + 1:4], collapse = ""))
    sub("^0+", "", digest::digest(bytes[(chunks$at[i] + 4):end], algo = "crc32", serialize = FALSE)) == stated
  }, NA)
  kinds <- chunks$kind[seq_len(last)]
  data <- which(kinds == "IDAT")
  critical <- kinds[grepl("^[A-Z]", kinds)]
  all(sound) && kinds[1] == "IHDR" && sum(kinds == "IHDR") == 1 && length(data) > 0 && all(diff(data) == 1) &&
    all(critical %in% c("IHDR", "IDAT", "IEND")) && !any(c("tRNS", "eXIf") %in% kinds)
}

decode_png <- function(bytes) {
  # The decoder warns, and goes on with half a picture, when the data end early.
  tryCatch(png::readPNG(bytes), warning = function(w) stop(conditionMessage(w)))
}

decode_by_magick <- function(bytes) {
  picture <- withCallingHandlers(magick::image_read(bytes), warning = function(w) invokeRestart("muffleWarning"))
  if (length(picture) == 0) stop("its data end too early")
  if (length(picture) > 1) stop("more than one picture")
  picture <- magick::image_orient(picture)
  if (magick::image_info(picture)$colorspace != "Gray") picture <- magick::image_convert(picture, colorspace = "sRGB")
  # No working size comes near this one, so nothing that counts is lost.
  picture <- magick::image_resize(picture, "4096x4096>")
  # Through PNG, since only so 16 bits come out as 16 bits.
  decode_png(magick::image_write(magick::image_strip(picture), format = "png", depth = 16))
}

# One to four channels to three: colours to sRGB, transparency on the backdrop.
flatten_picture <- function(pixels, bytes, format, backdrop) {
  kept <- attributes(pixels)["shrunk_from"]
  channels <- dim(pixels)[3]
  alpha <- if (channels %in% c(2, 4)) c(pixels[, , channels])
  pixels <- to_srgb(if (is.null(alpha)) pixels else pixels[, , -channels, drop = FALSE], bytes, format)
  kept$profile <- attr(pixels, "profile")
  if (dim(pixels)[3] == 1) pixels <- pixels[, , c(1, 1, 1), drop = FALSE]
  if (!is.null(alpha) && any(alpha < 1)) {
    pixels <- pixels * alpha + rep(paint_values(backdrop), each = length(alpha)) * (1 - alpha)
  }
  attributes(pixels) <- c(list(dim = dim(pixels)), Filter(Negate(is.null), kept))
  pixels
}

# An engine's array of one to four channels as three.
three_channels <- function(pixels) flatten_picture(pixels, raw(), "array", "white")
