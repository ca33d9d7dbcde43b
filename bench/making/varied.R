# An engine that takes hardly any time: it returns one of four variants of its reference as a PNG
# file, with the request's key in a note, so that no two takes are alike.
local({
  reference <- NULL
  files <- NULL
  note <- function(key) {
    body <- c(charToRaw("tEXtComment"), as.raw(0), charToRaw(key))
    crc <- sub("^ +", "", digest::digest(body, "crc32", serialize = FALSE))
    crc <- paste0(strrep("0", 8 - nchar(crc)), crc)
    c(
      writeBin(length(body) - 4L, raw(), endian = "big"),
      body,
      as.raw(strtoi(substring(crc, c(1, 3, 5, 7), c(2, 4, 6, 8)), 16))
    )
  }

  # Shifted, darkened and with less colour, each more than the one before.
  variants <- function(picture) {
    lapply(1:4, function(i) {
      moved <- picture[, (seq_len(ncol(picture)) + 3 * i) %% ncol(picture) + 1, ]
      grey <- (moved[, , 1] + moved[, , 2] + moved[, , 3]) / 3
      png::writePNG((1 - 0.05 * i) * ((1 - 0.15 * i) * moved + 0.15 * i * c(grey)))
    })
  }

  sprenn::engine(
    list(
      name = "varied",
      version = "1",
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 10),
      at_once = 8
    ),
    function(request) {
      if (!identical(reference, request$reference)) {
        reference <<- request$reference
        files <<- variants(reference)
      }

      file <- files[[1 + request$seed %% 4]]
      # A PNG file begins with 33 bytes of signature and header.
      sprenn::engine_result(c(file[1:33], note(request$key), file[-(1:33)]))
    }
  )
})
