# What things are known by: SHA-256 throughout.

# Of bytes, one hash; of texts, one hash each.
sha256_of <- function(x) {
  if (is.raw(x)) {
    paste(unclass(openssl::sha256(x)), collapse = "")
  } else {
    as.character(openssl::sha256(enc2utf8(x)))
  }
}

# A hash of plain nested lists that is the same in every session.
hash_of <- function(x) {
  sha256_of(as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null")))
}

# Pixels by their values, however they were stored: 8 bits and the same in 16
# come to one hash. `packed` is what core_pack() makes of them.
pixel_hash <- function(pixels) packed_hash(core_pack(pixels), dim(pixels)[2:1])

packed_hash <- function(packed, size) {
  sha256_of(paste(c(size, sha256_of(packed)), collapse = " "))
}
