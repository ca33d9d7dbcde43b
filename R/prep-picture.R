# Reading pictures: known by their content and not by their name, and measured
# before they are decoded.

max_pixels <- 64e6
max_bytes <- 256e6
# Above this a picture is shrunk while it is decoded, to keep memory in bounds.
large_pixels <- 16e6

#' Read a picture as it is measured
#'
#' Reads PNG (8 and 16 bit), JPEG and WebP, told apart by their content. EXIF
#' orientation is applied and transparency laid on white. What is larger than 16
#' million pixels comes back with a long edge of 4096.
#'
#' @param path The picture's file. At most 64 million pixels and 256 MB.
#' @return An array rows x columns x 3 with sRGB values from 0 to 1.
#' @section Errors: `sprenn_error_picture` when the file is missing, empty, of
#'   another type, too large, or can't be decoded.
#' @export
#' @examples
#' file <- tempfile(fileext = ".png")
#' png::writePNG(array(0.5, c(4, 6, 3)), file)
#' dim(read_picture(file))
read_picture <- function(path) {
  check_arguments(path = checkmate::check_string(path, min.chars = 1))
  wrong <- picture_problem(path)
  if (!is.na(wrong)) stop_picture(path, wrong)
  tryCatch(
    decode_picture(read_bytes(path)),
    error = function(e) stop_picture(path, paste0("a damaged picture (", one_line(e), ")"))
  )
}

stop_picture <- function(path, found) {
  stop_sprenn("picture", c(
    paste0("Can't read the picture ", path, "."),
    x = paste("found", found),
    i = "wanted a PNG, JPEG or WebP file of at most 64 million pixels and 256 MB"
  ), path = path)
}

one_line <- function(e) {
  trimws(gsub("[[:space:]]+", " ", sub("^.*libpng error: |^Error: ", "", conditionMessage(e))))
}

read_bytes <- function(path) readBin(path, "raw", file.size(path))

# What keeps a file from being used as a picture, or NA; looks at its first
# bytes only.
picture_problem <- function(path) {
  if (!file.exists(path)) {
    return("no such file")
  }
  if (dir.exists(path)) {
    return("a folder")
  }
  bytes <- file.size(path)
  if (bytes == 0) {
    return("an empty file")
  }
  if (bytes > max_bytes) {
    return(paste0("a file of ", round(bytes / 1e6), " MB"))
  }
  facts <- picture_facts(tryCatch(readBin(path, "raw", min(bytes, 2e6)), error = function(e) raw(), warning = function(w) raw()))
  if (is.null(facts)) {
    return("a file that is no PNG, JPEG or WebP picture, or is damaged")
  }
  if (facts$width * facts$height > max_pixels) {
    return(paste0("a picture of ", facts$width, " x ", facts$height, " pixels"))
  }
  NA_character_
}

# Format, width and height from the head of a file, or NULL.
picture_facts <- function(bytes) {
  at <- function(i, n) if (length(bytes) >= i + n - 1) bytes[i:(i + n - 1)] else raw()
  big <- function(i, n) sum(as.integer(at(i, n)) * 256^((n - 1):0))
  little <- function(i, n) sum(as.integer(at(i, n)) * 256^(0:(n - 1)))
  facts <- function(format, width, height) {
    if (length(width) == 1 && length(height) == 1 && width >= 1 && height >= 1) list(format = format, width = width, height = height)
  }
  if (identical(at(1, 8), as.raw(c(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a)))) {
    if (length(bytes) < 33) return(NULL)
    return(facts("png", big(17, 4), big(21, 4)))
  }
  if (identical(at(1, 3), as.raw(c(0xff, 0xd8, 0xff)))) {
    size <- jpeg_size(bytes)
    return(if (!is.null(size)) facts("jpeg", size[1], size[2]))
  }
  if (length(bytes) >= 30 && identical(at(1, 4), charToRaw("RIFF")) && identical(at(9, 4), charToRaw("WEBP"))) {
    return(switch(rawToChar(at(13, 3)),
      VP8 = switch(as.character(at(16, 1)),
        "20" = facts("webp", little(27, 2) %% 16384, little(29, 2) %% 16384),
        "4c" = facts("webp", 1 + little(22, 4) %% 16384, 1 + (little(22, 4) %/% 16384) %% 16384),
        "58" = facts("webp", 1 + little(25, 3), 1 + little(28, 3))
      )
    ))
  }
  NULL
}

# Width and height from the frame header of a JPEG file.
jpeg_size <- function(bytes) {
  frame_markers <- as.integer(c(0xc0:0xc3, 0xc5:0xc7, 0xc9:0xcb, 0xcd:0xcf))
  i <- 3
  while (i + 8 <= length(bytes)) {
    if (bytes[i] != as.raw(0xff)) {
      return(NULL)
    }
    marker <- as.integer(bytes[i + 1])
    if (marker == 0xff) {
      i <- i + 1
      next
    }
    if (marker %in% frame_markers) {
      number <- as.integer(bytes[i + 5:8])
      return(c(number[3] * 256 + number[4], number[1] * 256 + number[2]))
    }
    i <- i + 2 + as.integer(bytes[i + 2]) * 256 + as.integer(bytes[i + 3])
  }
  NULL
}

# Pixels of an encoded picture: plain, undamaged PNG by the png package, which is
# several times faster; the rest by ImageMagick, which stands damaged bytes.
decode_picture <- function(bytes) {
  facts <- picture_facts(bytes)
  if (is.null(facts)) stop("no PNG, JPEG or WebP picture")
  if (facts$width * facts$height > max_pixels) stop("more than 64 million pixels")
  small <- facts$width * facts$height <= large_pixels
  pixels <- if (facts$format == "png" && small && is_plain_png(bytes)) decode_png(bytes) else decode_by_magick(bytes)
  three_channels(pixels)
}

# Whether a PNG file has 8 or 16 bits of grey or colour, no palette, no
# interlacing, and every checksum in order: the png package writes past its
# memory when handed damaged files.
is_plain_png <- function(bytes) {
  number <- function(i) sum(as.integer(bytes[i + 0:3]) * 256^(3:0))
  if (!as.integer(bytes[25]) %in% c(8, 16) || !as.integer(bytes[26]) %in% c(0, 2, 4, 6) || any(bytes[27:29] != 0)) {
    return(FALSE)
  }
  at <- 9
  kinds <- character()
  while (at + 11 <= length(bytes)) {
    length <- number(at)
    end <- at + 8 + length
    if (end + 3 > length(bytes)) {
      return(FALSE)
    }
    stated <- sub("^0+", "", paste(bytes[end + 0:3], collapse = ""))
    if (sub("^0+", "", digest::digest(bytes[(at + 4):(end - 1)], algo = "crc32", serialize = FALSE)) != stated) {
      return(FALSE)
    }
    kinds <- c(kinds, rawToChar(bytes[at + 4:7]))
    at <- end + 4
    if (utils::tail(kinds, 1) == "IEND") break
  }
  data <- which(kinds == "IDAT")
  critical <- kinds[grepl("^[A-Z]", kinds)]
  kinds[1] == "IHDR" && sum(kinds == "IHDR") == 1 && length(data) > 0 && all(diff(data) == 1) &&
    utils::tail(kinds, 1) == "IEND" && all(critical %in% c("IHDR", "IDAT", "IEND")) && !"tRNS" %in% kinds
}

decode_png <- function(bytes) {
  # The decoder warns, and goes on with half a picture, when the data end early.
  tryCatch(png::readPNG(bytes), warning = function(w) stop(conditionMessage(w)))
}

decode_by_magick <- function(bytes) {
  picture <- magick::image_read(bytes)
  if (length(picture) == 0) stop("its data end too early")
  if (length(picture) > 1) stop("more than one frame")
  picture <- magick::image_orient(picture)
  picture <- magick::image_convert(picture, colorspace = "sRGB")
  # No working size comes near this one, so nothing that counts is lost.
  picture <- magick::image_resize(picture, "4096x4096>")
  data <- as.integer(magick::image_data(picture, "rgba"))
  data / 255
}

three_channels <- function(pixels) {
  if (length(dim(pixels)) == 2) pixels <- array(pixels, c(dim(pixels), 1))
  channels <- dim(pixels)[3]
  if (channels %in% c(2, 4)) {
    alpha <- c(pixels[, , channels])
    pixels <- pixels[, , -channels, drop = FALSE] * alpha + (1 - alpha)
  }
  if (dim(pixels)[3] == 1) pixels <- pixels[, , c(1, 1, 1), drop = FALSE]
  pixels
}
