# The hosts that pictures may be fetched from besides a service's own.

# Whether a host, or a pattern of hosts such as https://*.example.org, names that of an address.
is_named_host <- function(url, hosts) {
  origin <- origin_of(url)
  if (is.na(origin) || grepl("@", url, fixed = TRUE)) {
    return(FALSE)
  }

  any(vapply(hosts, function(host) {
    if (!grepl("//*.", host, fixed = TRUE)) {
      return(identical(origin, origin_of(host)))
    }

    below <- origin_of(sub("*.", "", host, fixed = TRUE))
    startsWith(origin, "https://") && endsWith(origin, sub("^https://", ".", below))
  }, NA))
}

# Addresses of networks that are not public (RFC 6890, RFC 4193, RFC 4291): a picture's host that is
# named in the public network must not lead into another.
private_networks <- c(
  "0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12",
  "192.0.0.0/24", "192.168.0.0/16", "198.18.0.0/15", "224.0.0.0/3"
)

is_private_address <- function(ip) {
  if (grepl(":", ip, fixed = TRUE)) {
    mapped <- regmatches(ip, regexpr("[0-9]+(\\.[0-9]+){3}$", ip))
    return(
      if (length(mapped)) is_private_address(mapped) else !grepl("^[23][0-9a-f]{3}:", tolower(ip))
    )
  }

  bits <- function(address) {
    parts <- as.numeric(strsplit(address, ".", fixed = TRUE)[[1]])
    sum(parts * 256^(3:0))
  }
  any(vapply(strsplit(private_networks, "/"), function(network) {
    size <- 2^(32 - as.numeric(network[2]))
    bits(ip) %/% size == bits(network[1]) %/% size
  }, NA))
}

# Where the host of a picture's address is, as curl's RESOLVE has it, so that the name can't stand
# for another place when it is called. NULL for an address that was named in numbers.
public_address <- function(url) {
  parts <- regmatches(origin_of(url), regexec("^https?://(.*):([0-9]+)$", origin_of(url)))[[1]]
  if (grepl("^[0-9.]+$|^\\[|^localhost$", parts[2])) {
    return(NULL)
  }

  found <- curl::nslookup(parts[2], multiple = TRUE, error = FALSE)
  if (length(found) == 0) {
    engine_failure("unreachable", paste0("There is no host ", parts[2], "."))
  }

  inside <- Filter(is_private_address, found)
  if (length(inside)) {
    engine_failure(
      "bad_answer",
      paste0(
        "The picture is said to be at ", url, ", which leads into a network of its own (",
        inside[1], "); it was not fetched."
      )
    )
  }

  paste(parts[2], parts[3], paste(found, collapse = ","), sep = ":")
}
