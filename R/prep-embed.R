# Embeds a text in a picture file as XMP (ISO 16684-1): an iTXt chunk of a PNG, an APP1 segment of
# a JPEG, and for other formats a file beside the picture. Pixels and other metadata are not
# changed.

xmp_keyword <- c(charToRaw("XML:com.adobe.xmp"), as.raw(0))
jpeg_marker <- c(charToRaw("http://ns.adobe.com/xap/1.0/"), as.raw(0))
own_namespace <- "https://sprenn.invalid/recipe/1/"

# The bytes with a recipe (one JSON text) in them, and NULL where the format or the
# length has no room for it. `words` says in a sentence what the picture shows.
embed_recipe <- function(bytes, json, words) {
  facts <- picture_facts(bytes)
  if (is.null(facts) || !facts$format %in% c("png", "jpeg")) {
    return(NULL)
  }

  packet <- charToRaw(enc2utf8(recipe_packet(json, words, read_packet(bytes, facts))))
  bytes <- without_packet(bytes, facts)
  if (facts$format == "png") {
    data <- c(xmp_keyword, as.raw(c(0, 0, 0, 0)), packet)
    return(append(bytes, png_chunk("iTXt", data), 33))
  }

  size <- length(jpeg_marker) + length(packet) + 2
  if (size > 65535) {
    return(NULL)
  }

  segment <- c(as.raw(c(0xff, 0xe1, size %/% 256, size %% 256)), jpeg_marker, packet)
  # The JFIF segment comes first, where there is one.
  first <- jpeg_segments(bytes)[[1]]
  append(bytes, segment, if (first$marker == 0xe0) first$at + 1 + first$size else 2)
}

# The recipe in a picture, as JSON text, or NULL.
embedded_recipe <- function(bytes) {
  facts <- picture_facts(bytes)
  packet <- if (!is.null(facts)) read_packet(bytes, facts)
  if (!is.null(packet)) {
    recipe_in_packet(packet)
  }
}

recipe_in_packet <- function(packet) {
  xml <- parse_packet(packet)
  found <- if (!is.null(xml)) xml2::xml_find_first(xml, "//s:recipe", c(s = own_namespace))
  if (length(found) && !is.na(found)) {
    xml2::xml_text(found)
  }
}

# Our part of a packet, put into the one that the picture has already.
recipe_packet <- function(json, words, before = NULL) {
  escape <- function(text) {
    htmltools::htmlEscape(gsub("[\\x01-\\x08\\x0b\\x0c\\x0e-\\x1f]", " ", text, perl = TRUE))
  }

  own <- paste0(
    "<rdf:Description xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\" ",
    "xmlns:xmp=\"http://ns.adobe.com/xap/1.0/\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\" ",
    "xmlns:sprenn=\"", own_namespace, "\" rdf:about=\"\">", "<xmp:CreatorTool>Sprenn ",
    utils::packageVersion("sprenn"), "</xmp:CreatorTool>",
    "<dc:description><rdf:Alt><rdf:li xml:lang=\"x-default\">", escape(words),
    "</rdf:li></rdf:Alt></dc:description>", "<sprenn:recipe>", escape(json),
    "</sprenn:recipe></rdf:Description>"
  )
  empty <- paste0(
    "<x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF ",
    "xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\"/></x:xmpmeta>"
  )
  xml <- (if (!is.null(before)) parse_packet(before)) %||% xml2::read_xml(empty)
  spaces <- c(r = "http://www.w3.org/1999/02/22-rdf-syntax-ns#", s = own_namespace)
  if (is.na(xml2::xml_find_first(xml, "//r:RDF", spaces))) {
    xml <- xml2::read_xml(empty)
  }

  xml2::xml_remove(xml2::xml_find_all(xml, "//r:Description[s:recipe]", spaces))
  xml2::xml_add_child(
    xml2::xml_find_first(xml, "//r:RDF", spaces),
    xml2::xml_root(xml2::read_xml(own))
  )
  paste0(
    "<?xpacket begin=\"\ufeff\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n",
    sub("^<\\?xml[^>]*>\\s*", "", as.character(xml)), "<?xpacket end=\"w\"?>"
  )
}

# Parses an untrusted packet: entities are not resolved from disk or network.
parse_packet <- function(packet) {
  if (grepl("<!DOCTYPE|<!ENTITY", packet)) {
    return(NULL)
  }

  tryCatch(
    xml2::read_xml(packet, options = c("NOBLANKS", "NONET")),
    error = function(e) NULL,
    warning = function(w) NULL
  )
}

# The XMP of a picture as text, or NULL.
read_packet <- function(bytes, facts) {
  data <- switch(facts$format,
    png = {
      at <- png_packets(bytes, facts)[1]
      if (!is.na(at)) {
        chunk <- bytes[facts$parts$at[at] + 7 + seq_len(facts$parts$size[at])]
        # Behind the keyword: whether it is compressed and how, and two texts that end
        # with a zero, a language and a translation.
        rest <- chunk[-seq_along(xmp_keyword)]
        zeros <- which(rest == as.raw(0))
        start <- zeros[zeros >= 3][1:2]
        if (length(rest) > 4 && !anyNA(start) && rest[1] == as.raw(0)) {
          rest[-seq_len(start[2])]
        } else {
          raw()
        }
      }
    },
    jpeg = {
      at <- jpeg_packets(bytes, facts)[1]
      if (!is.na(at)) {
        segment <- facts$parts[[at]]
        bytes[segment$at +
          3 +
          length(jpeg_marker) +
          seq_len(segment$size - 2 - length(jpeg_marker))]
      }
    }
  )
  if (is.null(data)) {
    return(NULL)
  }

  text <- rawToChar(data[data != 0])
  Encoding(text) <- "UTF-8"
  if (validUTF8(text)) {
    text
  }
}

# Which chunks, or segments, hold XMP and are whole.
png_packets <- function(bytes, facts) {
  parts <- facts$parts
  # A damaged picture may have no parts at all.
  which(as.logical(
    mapply(
      function(kind, at, size) {
        kind == "iTXt" &&
          size >= length(xmp_keyword) + 4 &&
          at + 7 + size <= length(bytes) &&
          identical(bytes[at + 7 + seq_along(xmp_keyword)], xmp_keyword)
      },
      parts$kind,
      parts$at,
      parts$size
    )
  ))
}

jpeg_packets <- function(bytes, facts) {
  which(
    vapply(
      facts$parts,
      function(segment) {
        segment$marker == 0xe1 &&
          segment$size > length(jpeg_marker) + 2 &&
          segment$at + 1 + segment$size <= length(bytes) &&
          identical(bytes[segment$at + 3 + seq_along(jpeg_marker)], jpeg_marker)
      },
      NA
    )
  )
}

without_packet <- function(bytes, facts) {
  gone <- if (facts$format == "png") {
    at <- png_packets(bytes, facts)
    Map(
      function(at, size) at + seq_len(size + 12) - 1,
      facts$parts$at[at],
      facts$parts$size[at]
    )
  } else {
    lapply(facts$parts[jpeg_packets(bytes, facts)], function(segment) {
      segment$at + seq_len(segment$size + 2) - 1
    })
  }
  if (length(gone)) bytes[-unlist(gone)] else bytes
}

# The parts of a PNG or JPEG file that hold words and other metadata: which `bytes` each takes up,
# and whether it is `compressed`. NULL for other formats.
metadata_parts <- function(bytes) {
  facts <- picture_facts(bytes)
  if (is.null(facts) || !facts$format %in% c("png", "jpeg")) {
    return(NULL)
  }

  if (facts$format == "jpeg") {
    # Application segments but for JFIF, colour profiles and Adobe's colours; comments.
    markers <- c(0xe1, 0xe3:0xed, 0xef, 0xfe)
    segments <- Filter(function(segment) segment$marker %in% markers, facts$parts)
    return(lapply(segments, function(segment) {
      list(bytes = bytes_from(segment$at, segment$size + 2, bytes), compressed = FALSE)
    }))
  }

  chunks <- facts$parts
  # An ancillary chunk begins with a small letter; these say how the pixels are shown.
  needed <- c(
    "gAMA", "cHRM", "sRGB", "iCCP", "cICP", "sBIT", "bKGD", "hIST", "tRNS", "pHYs", "acTL",
    "fcTL", "fdAT"
  )
  wordy <- which(grepl("^[a-z]", chunks$kind) & !chunks$kind %in% needed)
  lapply(wordy, function(i) {
    taken <- bytes_from(chunks$at[i], chunks$size[i] + 12, bytes)
    list(
      bytes = taken,
      compressed = chunks$kind[i] == "zTXt" ||
        chunks$kind[i] == "iTXt" && is_compressed(bytes[taken][-(1:8)])
    )
  })
}

bytes_from <- function(at, size, bytes) at + seq_len(min(size, length(bytes) - at + 1)) - 1

# The flag behind the keyword of an iTXt chunk.
is_compressed <- function(data) {
  zero <- which(data == as.raw(0))[1]
  !is.na(zero) && zero < length(data) && data[zero + 1] != as.raw(0)
}

png_chunk <- function(kind, data) {
  body <- c(charToRaw(kind), data)
  sum <- digest::digest(body, "crc32", serialize = FALSE)
  sum <- formatC(sum, width = 8, flag = "0")
  c(
    four_bytes(length(data)),
    body,
    as.raw(
      strtoi(
        substring(gsub(" ", "0", sum), c(1, 3, 5, 7), c(2, 4, 6, 8)),
        16
      )
    )
  )
}

# Four bytes, the highest first.
four_bytes <- function(number) as.raw(number %/% 256^(3:0) %% 256)
