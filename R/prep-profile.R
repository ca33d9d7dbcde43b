# Colour profiles: from the numbers of a picture to sRGB. Profiles of three
# curves and a matrix, and of one grey curve, are followed (ICC.1:2022, 8.3 and
# 8.4); others are left alone, and the picture says so.

# `pixels` (rows x columns x 1 or 3) in sRGB. Its attribute `profile` is
# "unknown" where a profile is there that can't be applied.
to_srgb <- function(pixels, profile) {
  if (is.null(profile)) {
    return(pixels)
  }

  convert <- tryCatch(read_profile(profile), error = function(e) NULL)
  if (is.null(convert) || convert$channels != dim(pixels)[3]) {
    # A grey picture may carry a profile for colours, which leaves greys grey.
    if (is.null(convert) || dim(pixels)[3] != 1) {
      attr(pixels, "profile") <- "unknown"
    }

    return(pixels)
  }

  apply_profile(pixels, convert)
}

# The profile that a file carries, as bytes; for a PNG with nothing but a gamma,
# that number; NULL without either.
embedded_profile <- function(encoded) {
  bytes <- encoded$bytes
  facts <- encoded$facts
  switch(facts$format,
    png = png_profile(bytes, facts$parts),
    jpeg = jpeg_profile(bytes, facts$parts),
    webp = webp_profile(bytes),
    tiff = tiff_profile(bytes)
  )
}

# Profiles are a few kB; more than this packed would be something else.
max_profile <- 1e6

png_profile <- function(bytes, chunks) {
  at <- match("iCCP", chunks$kind)
  if (is.na(at)) {
    gamma <- match("gAMA", chunks$kind)
    stated <- if (!is.na(gamma) && !"sRGB" %in% chunks$kind) {
      big_endian(bytes, chunks$at[gamma] + 8, 4) / 1e5
    } else {
      NA
    }
    return(if (!is.na(stated) && stated > 0.05 && abs(stated - 1 / 2.2) > 0.01) stated)
  }

  data <- bytes[chunks$at[at] + 7 + seq_len(min(chunks$size[at], 1e5))]
  name <- match(as.raw(0), data)
  tryCatch(memDecompress(data[-seq_len(name + 1)], "gzip"), error = function(e) raw())
}

jpeg_profile <- function(bytes, segments) {
  mark <- c(charToRaw("ICC_PROFILE"), as.raw(0))
  parts <- Filter(
    function(segment) {
      segment$marker == 0xe2 &&
        segment$size > 16 &&
        identical(bytes[segment$at + 3 + 1:12], mark)
    },
    segments
  )
  if (length(parts) > 0) {
    unlist(lapply(parts, function(segment) {
      bytes[(segment$at + 18):(segment$at + 1 + segment$size)]
    }))
  }
}

webp_profile <- function(bytes) {
  at <- 13
  while (at + 8 <= length(bytes)) {
    size <- little_endian(bytes, at + 4, 4)
    if (rawToChar(bytes[at + 0:3][bytes[at + 0:3] != 0]) == "ICCP" && size < max_profile) {
      return(bytes[at + 7 + seq_len(min(size, length(bytes) - at - 7))])
    }

    at <- at + 8 + size + size %% 2
  }

  NULL
}

tiff_profile <- function(bytes) {
  read <- if (bytes[1] == as.raw(0x49)) little_endian else big_endian
  first <- read(bytes, 5, 4) + 1
  count <- read(bytes, first, 2)
  for (entry in first + 2 + 12 * (seq_len(min(count, 1000)) - 1)) {
    if (read(bytes, entry, 2) %in% 34675) {
      size <- read(bytes, entry + 4, 4)
      at <- read(bytes, entry + 8, 4)
      if (size < max_profile && at + size <= length(bytes)) {
        return(bytes[at + seq_len(size)])
      }
    }
  }

  NULL
}

# Curves (functions from stored value to light) and the matrix from light to
# XYZ at D50; or NULL when the profile is of another build.
read_profile <- function(profile) {
  if (is.numeric(profile)) {
    curve <- function(x) x^(1 / profile)
    return(list(channels = 3, curves = list(curve, curve, curve), matrix = srgb_to_xyz))
  }

  space <- rawToChar(profile[17:20])
  count <- big_endian(profile, 129, 4)
  entries <- 133 + 12 * (seq_len(min(count, 100)) - 1)
  at <- stats::setNames(
    vapply(entries, function(entry) big_endian(profile, entry + 4, 4) + 1, 0),
    vapply(entries, function(entry) rawToChar(profile[entry + 0:3]), "")
  )
  if (space == "GRAY" && "kTRC" %in% names(at)) {
    return(list(channels = 1, curves = list(read_curve(profile, at[["kTRC"]]))))
  }

  wanted <- c("rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC")
  if (space != "RGB " || !all(wanted %in% names(at))) {
    return(NULL)
  }

  fixed <- function(at) signed_fixed(profile, at)
  list(
    channels = 3,
    curves = lapply(at[wanted[4:6]], read_curve, profile = profile),
    matrix = vapply(
      at[wanted[1:3]],
      function(at) c(fixed(at + 8), fixed(at + 12), fixed(at + 16)),
      numeric(3)
    )
  )
}

signed_fixed <- function(bytes, at) {
  value <- big_endian(bytes, at, 4)
  (if (value >= 2^31) value - 2^32 else value) / 65536
}

read_curve <- function(profile, at) {
  kind <- rawToChar(profile[at + 0:3])
  if (kind == "curv") {
    count <- big_endian(profile, at + 8, 4)
    if (count == 0) {
      return(identity)
    }

    if (count == 1) {
      power <- big_endian(profile, at + 12, 2) / 256
      return(function(x) x^power)
    }

    if (count > 65536) {
      stop("too long a curve")
    }

    table <- vapply(seq_len(count), function(i) big_endian(profile, at + 10 + 2 * i, 2), 0) /
      65535
    return(function(x) stats::approx(seq(0, 1, length.out = count), table, x, rule = 2)$y)
  }

  if (kind != "para") {
    stop("another kind of curve")
  }

  type <- big_endian(profile, at + 8, 2)
  p <- vapply(
    seq_len(c(1, 3, 4, 5, 7)[type + 1]),
    function(i) signed_fixed(profile, at + 8 + 4 * i),
    0
  )
  g <- p[1]
  power <- function(x) pmax(p[2] * x + p[3], 0)^g
  switch(type + 1,
    function(x) x^g,
    function(x) ifelse(x >= -p[3] / p[2], power(x), 0),
    function(x) ifelse(x >= -p[3] / p[2], power(x), 0) + p[4],
    function(x) ifelse(x >= p[5], power(x), p[4] * x),
    function(x) ifelse(x >= p[5], power(x) + p[6], p[4] * x + p[7])
  )
}

# sRGB's own matrix to XYZ at D50 (IEC 61966-2-1, adapted by Bradford).
srgb_to_xyz <- matrix(
  c(
    0.4360747, 0.2225045, 0.0139322, 0.3850649, 0.7168786, 0.0971045, 0.1430804, 0.0606169,
    0.7141733
  ),
  3
)

apply_profile <- function(pixels, convert) {
  # A table per curve, fine enough for 16 bits.
  grid <- seq(0, 1, length.out = 4097)
  light <- vapply(
    seq_len(convert$channels),
    function(k) {
      stats::approx(grid, convert$curves[[k]](grid), c(pixels[, , k]), rule = 2)$y
    },
    numeric(prod(dim(pixels)[1:2]))
  )
  if (convert$channels == 3) {
    light <- light %*% t(solve(srgb_to_xyz) %*% convert$matrix)
  }

  light <- pmin(pmax(light, 0), 1)
  out <- array(
    ifelse(light <= 0.0031308, 12.92 * light, 1.055 * light^(1 / 2.4) - 0.055),
    dim(pixels)
  )
  # Profiles of sRGB itself come out within a rounding: leave those bits alone.
  if (max(abs(out - pixels)) < 1.5 / 255) {
    pixels
  } else {
    out
  }
}
