# Reads the header of a picture file: its format, its size, and how many pictures it holds.

picture_formats <- c(png = "png", jpeg = "jpg", webp = "webp", tiff = "tif")

# `format`, `width`, `height`, `bits` a channel, `frames`, and of PNG and JPEG
# the `parts` that the file is made of; or NULL for anything else.
picture_facts <- function(bytes) {
  facts <- switch(file_kind(bytes),
    png = png_facts(bytes),
    jpeg = jpeg_facts(bytes),
    webp = webp_facts(bytes),
    tiff = tiff_facts(bytes)
  )
  if (!is.null(facts) &&
    all(is.finite(c(facts$width, facts$height))) &&
    facts$width >= 1 &&
    facts$height >= 1) {
    facts
  }
}

# The kind of a file by its first bytes: one of picture_formats, or in words
# what else it is, or "".
file_kind <- function(bytes) {
  starts <- function(signature, at = 1) {
    if (is.character(signature)) {
      signature <- charToRaw(signature)
    }

    length(bytes) >= at + length(signature) - 1 &&
      all(bytes[at + seq_along(signature) - 1] == signature)
  }

  hex <- function(...) as.raw(c(...))
  if (starts(hex(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a))) {
    return("png")
  }

  if (starts(hex(0xff, 0xd8, 0xff))) {
    return("jpeg")
  }

  kinds <- list(
    webp = starts("RIFF") && starts("WEBP", 9),
    tiff = starts(hex(0x49, 0x49, 0x2a, 0)) || starts(hex(0x4d, 0x4d, 0, 0x2a)),
    "a GIF file" = starts("GIF8"),
    "a BMP file" = starts("BM"),
    "a PDF file" = starts("%PDF"),
    "a PostScript file" = starts("%!PS"),
    "a HEIF or AVIF file" = starts("ftyp", 5),
    "an SVG or XML file" = starts("<?xml") || starts("<svg"),
    "an HTML file" = starts("<!DOCTYPE") || starts("<html"),
    "a Photoshop file" = starts("8BPS"),
    "a zip file" = starts("PK")
  )
  found <- names(kinds)[vapply(kinds, isTRUE, NA)]
  if (length(found)) found[1] else ""
}

# Unsigned numbers at a place, NA beyond the end.
big_endian <- function(bytes, at, n) number_at(bytes, at, n, TRUE)
little_endian <- function(bytes, at, n) number_at(bytes, at, n, FALSE)

number_at <- function(bytes, at, n, big) {
  if (is.na(at) || at < 1 || at + n - 1 > length(bytes)) {
    return(NA_real_)
  }

  digits <- as.numeric(bytes[at + seq_len(n) - 1])
  sum((if (big) digits else rev(digits)) * 256^((n - 1):0))
}

png_facts <- function(bytes) {
  chunks <- png_chunks(bytes)
  frames <- if ("acTL" %in% chunks$kind) {
    big_endian(bytes, chunks$at[match("acTL", chunks$kind)] + 8, 4)
  } else {
    1
  }
  if (length(bytes) >= 33) {
    list(
      format = "png",
      width = big_endian(bytes, 17, 4),
      height = big_endian(bytes, 21, 4),
      frames = frames,
      bits = as.integer(bytes[25]),
      parts = chunks
    )
  }
}

# Where the chunks of a PNG file begin (their length field), what kind they are
# and how much data they hold, as far as the file can be followed.
png_chunks <- function(bytes) {
  at <- 9
  starts <- lengths <- numeric()
  kinds <- character()
  while (at + 11 <= length(bytes) && length(kinds) < 100000) {
    head <- as.integer(bytes[at + 0:7])
    if (min(head[5:8]) < 0x41 || max(head[5:8]) > 0x7a) {
      break
    }

    size <- head[1] * 16777216 + head[2] * 65536 + head[3] * 256 + head[4]
    starts <- c(starts, at)
    lengths <- c(lengths, size)
    kinds <- c(kinds, rawToChar(bytes[at + 4:7]))
    at <- at + 12 + size
  }

  list(at = starts, kind = kinds, size = lengths, end = at - 1)
}

# Width and height from the frame header of a JPEG file.
frame_markers <- c(0xc0:0xc3, 0xc5:0xc7, 0xc9:0xcb, 0xcd:0xcf)

jpeg_facts <- function(bytes) {
  segments <- jpeg_segments(bytes)
  for (segment in segments) {
    if (segment$marker %in% frame_markers) {
      return(list(
        format = "jpeg",
        width = big_endian(bytes, segment$at + 7, 2),
        height = big_endian(bytes, segment$at + 5, 2),
        frames = 1,
        bits = 8,
        parts = segments
      ))
    }
  }

  NULL
}

# The segments before the picture's data: `marker`, where it is (`at`), and
# `size` of its data with the length field.
jpeg_segments <- function(bytes) {
  found <- list()
  at <- 3
  while (at + 8 <= length(bytes) && bytes[at] == as.raw(0xff) && length(found) < 1000) {
    marker <- as.integer(bytes[at + 1])
    if (marker == 0xff) {
      at <- at + 1
      next
    }

    size <- big_endian(bytes, at + 2, 2)
    found[[length(found) + 1]] <- list(marker = marker, at = at, size = size)
    if (marker == 0xda) {
      break
    }

    at <- at + 2 + max(2, size)
  }

  found
}

webp_facts <- function(bytes) {
  if (length(bytes) < 30) {
    return(NULL)
  }

  size <- switch(rawToChar(bytes[13:15]),
    VP8 = switch(as.character(bytes[16]),
      "20" = c(little_endian(bytes, 27, 2) %% 16384, little_endian(bytes, 29, 2) %% 16384),
      "4c" = 1 +
        c(
          little_endian(bytes, 22, 4) %% 16384,
          (little_endian(bytes, 22, 4) %/% 16384) %% 16384
        ),
      "58" = 1 + c(little_endian(bytes, 25, 3), little_endian(bytes, 28, 3))
    )
  )
  moving <- bytes[16] == as.raw(0x58) && bitwAnd(as.integer(bytes[21]), 2L) > 0
  if (!is.null(size)) {
    list(
      format = "webp",
      width = size[1],
      height = size[2],
      frames = if (moving) Inf else 1,
      bits = 8
    )
  }
}

tiff_facts <- function(bytes) {
  read <- if (bytes[1] == as.raw(0x49)) little_endian else big_endian
  at <- read(bytes, 5, 4) + 1
  fields <- tiff_fields(bytes, at, read)
  if (is.null(fields)) {
    return(NULL)
  }

  # Several channels keep their bits elsewhere in the file, behind an offset.
  bits <- fields["258"]
  if (!is.na(bits) && bits > 64) {
    bits <- read(bytes, bits + 1, 2)
  }

  list(
    format = "tiff",
    width = unname(fields["256"]),
    height = unname(fields["257"]),
    frames = count_frames(bytes, at, read),
    bits = if (is.na(bits)) 8 else unname(bits)
  )
}

# More than one is one too many: where so many follow, nobody needs to know how many.
most_frames <- 50

count_frames <- function(bytes, at, read) {
  frames <- 0
  while (!is.na(at) && at > 1 && frames < most_frames) {
    frames <- frames + 1
    fields <- read(bytes, at, 2)
    at <- if (is.na(fields)) NA else read(bytes, at + 2 + 12 * fields, 4) + 1
  }

  frames
}

# The numeric fields of a TIFF directory by their tags.
tiff_fields <- function(bytes, at, read) {
  count <- read(bytes, at, 2)
  if (is.na(count) || count < 1 || count > 1000) {
    return(NULL)
  }

  entries <- at + 2 + 12 * (seq_len(count) - 1)
  values <- vapply(
    entries,
    function(entry) {
      kind <- read(bytes, entry + 2, 2)
      if (kind %in% 3) {
        read(bytes, entry + 8, 2)
      } else {
        read(bytes, entry + 8, 4)
      }
    },
    0
  )
  stats::setNames(
    values,
    vapply(entries, function(entry) as.character(read(bytes, entry, 2)), "")
  )
}

# Whether a file of a known format lacks its end.
ends_early <- function(bytes, facts) {
  switch(facts$format,
    png = !"IEND" %in% facts$parts$kind,
    jpeg = {
      end <- length(bytes)
      if (all(bytes[c(end - 1, end)] == c(0xff, 0xd9))) {
        return(FALSE)
      }

      last <- facts$parts[[length(facts$parts)]]
      data <- bytes[-seq_len(last$at)]
      last$marker != 0xda ||
        !any(data[-length(data)] == as.raw(0xff) & data[-1] == as.raw(0xd9))
    },
    webp = little_endian(bytes, 5, 4) + 8 > length(bytes),
    FALSE
  )
}
