# A server that follows the contract and takes no time: Rscript server.R PORT PICTURE
given <- commandArgs(TRUE)
picture <- readBin(given[2], "raw", file.size(given[2]))
about <- paste0(
  "{\"name\": \"instant\", \"version\": \"1\", \"checkpoints\": {\"plain\": {}}, \"hold\": ",
  "{\"at_0\": 0, \"at_1\": 10}, \"at_once\": 64, \"price\": 0, \"seconds\": 0.01}"
)

# The picture with the request's key in a note, so that no two takes are alike.
noted <- function(key) {
  body <- c(charToRaw("tEXtComment"), as.raw(0), charToRaw(key))
  crc <- sub("^ +", "", digest::digest(body, "crc32", serialize = FALSE))
  crc <- paste0(strrep("0", 8 - nchar(crc)), crc)
  crc <- as.raw(strtoi(substring(crc, c(1, 3, 5, 7), c(2, 4, 6, 8)), 16))
  size <- writeBin(length(body) - 4L, raw(), endian = "big")
  c(picture[1:33], size, body, crc, picture[-(1:33)])
}

answer <- function(type, body) {
  list(status = 200L, headers = list("Content-Type" = type), body = body)
}

httpuv::startServer("127.0.0.1", as.integer(given[1]), list(call = function(request) {
  path <- request$PATH_INFO
  if (path == "/about") {
    return(answer("application/json", about))
  }

  if (path == "/takes") {
    request$rook.input$read()
    key <- request$HTTP_IDEMPOTENCY_KEY
    return(answer("application/json", sprintf(
      "{\"key\": \"%s\", \"state\": \"made\", \"cost\": 0, \"pictures\": [{\"href\": \"/%s\"}]}",
      key,
      key
    )))
  }

  answer("image/png", noted(sub("^/", "", path)))
}))
repeat {
  httpuv::service(1000)
}
