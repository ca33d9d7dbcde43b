# Mutated inputs for every reader: pictures, recipes in pictures, keypoints, YAML in both styles,
# workers files, tables, vectors, zips, whole trials. Each is read, or refused with a classed error
# in words of our own, in seconds and little memory, and nothing is written elsewhere.

# What one input may take, in seconds of a processor.
most_seconds <- 5
most_mb <- 1000

# A demo's files and pictures of all formats, by kind.
make_sources <- function() {
  scene <- core("core_dead_leaves")(48, 32, 1)
  as_file <- function(format, ...) {
    magick::image_write(magick::image_read(scene), format = format, ...)
  }
  file <- function(...) readBin(file.path(...), "raw", 1e8)
  whole <- file.path(work, "whole")
  new_trial(whole, demo = TRUE)
  small <- file.path(work, "small")
  new_trial(small, demo = TRUE, cases = 2)
  table <- file.path(work, "t.parquet")
  nanoparquet::write_parquet(data.frame(id = c("x", "y"), prompt = c("one", "two")), table)
  list(
    png = as_file("png"),
    png16 = as_file("png", depth = 16),
    palette = as_file("png8"),
    grey = png::writePNG(scene[, , 1]),
    alpha = png::writePNG(array(c(scene, scene[, , 1]), c(32, 48, 4))),
    jpeg = as_file("jpeg"),
    inks = magick::image_write(
      magick::image_convert(magick::image_read(scene), colorspace = "CMYK"),
      format = "jpeg"
    ),
    webp = as_file("webp"),
    tiff = as_file("tiff", depth = 8),
    tiff16 = as_file("tiff", depth = 16),
    turned = file(whole, "references", "tower.jpg"),
    recipe = recipe_picture(scene),
    pose = file(whole, "guides", "kite-flyer.json"),
    suite = file(whole, "suite.yml"),
    lineup = file(whole, "lineup.yml"),
    brief = file(whole, "brief.yml"),
    workers = charToRaw(paste0(
      "here: 2\nlisten: 127.0.0.1:7700\nhosts:\n  - {ssh: ana@hut, processes: 4}\n",
      "cluster:\n  command: sbatch\n  processes: 8\n  options: |\n    #SBATCH --mem=4G\n"
    )),
    trial = raw(1),
    csv = charToRaw(paste0(
      "id,job,prompt,negative\nx,fresh,\"one|two, too\",a frame\ny,,\"three\",\n",
      "z,fresh,four,five|six\n"
    )),
    parquet = file(table),
    npy = npy_bytes(matrix(seq_len(12) / 7, 3)),
    vectors = charToRaw("name,a,b,c\none,0.1,0.2,0.3\ntwo,1,2,3\n"),
    zip = file(pack_trial(small, file.path(work, "small.zip")))
  )
}

recipe_picture <- function(scene) {
  bytes <- png::writePNG(scene)
  recipe <- list(sprenn = "1", take = "x", pipeline = "p", prompt = list("a", "b"))
  core("embed_recipe")(bytes, core("to_json")(recipe), "a picture")
}

npy_bytes <- function(matrix) {
  head <- paste0(
    "{'descr': '<f8', 'fortran_order': False, 'shape': (", nrow(matrix), ", ", ncol(matrix), "), }"
  )
  head <- paste0(head, strrep(" ", 117 - nchar(head)), "\n")
  c(
    as.raw(c(0x93, utf8ToInt("NUMPY"), 1, 0)), writeBin(nchar(head), raw(), size = 2),
    charToRaw(head), writeBin(c(t(matrix)), raw(), size = 8)
  )
}

yaml_kinds <- c("suite", "lineup", "brief", "workers")
text_kinds <- c("pose", yaml_kinds, "csv", "vectors")
png_kinds <- c("png", "png16", "palette", "grey", "alpha", "recipe")

# Changed PNGs would all be refused for their checksums: half of them get right ones, so that
# decoders meet the damage.
crc_table <- local({
  exclusive <- function(a, b) {
    bitwXor(a %/% 65536, b %/% 65536) * 65536 + bitwXor(a %% 65536, b %% 65536)
  }
  vapply(0:255, function(n) {
    for (k in 1:8) {
      n <- if (n %% 2) exclusive(n %/% 2, 0xedb88320) else n %/% 2
    }

    n
  }, 0)
})

mend_checksums <- function(bytes) {
  exclusive <- function(a, b) {
    bitwXor(a %/% 65536, b %/% 65536) * 65536 + bitwXor(a %% 65536, b %% 65536)
  }
  chunks <- core("png_chunks")(bytes)
  for (k in seq_along(chunks$at)) {
    end <- chunks$at[k] + 7 + chunks$size[k]
    if (end + 4 > length(bytes)) {
      break
    }

    crc <- 4294967295
    for (byte in as.integer(bytes[(chunks$at[k] + 4):end])) {
      crc <- exclusive(crc %/% 256, crc_table[exclusive(crc %% 256, byte) + 1])
    }

    crc <- 4294967295 - crc
    bytes[end + 1:4] <- as.raw(c(
      crc %/% 16777216, crc %/% 65536 %% 256, crc %/% 256 %% 256, crc %% 256
    ))
  }

  bytes
}

# Values that nobody expects.
odd_values <- list(
  NULL, NA, TRUE, FALSE, -1, 0, 1e308, -0.5, 3.7, 2147483648, "", " ", "~", "=1+1", "@SUM(A1)",
  "../../etc/passwd", "/dev/zero", "C:\\x", "a\u0301", "\u202etxt", "\033[31mred", strrep("y", 5000),
  list(), list(list()), list(1, "a", list(b = 2)), list(a = list(b = list(c = 1))), "2026-11-29",
  "12:30:00", "!!binary aGk=", "*x", "&x y", "0x1f", "1_000", "null", "{", "[1, 2", "a: b", "- c",
  -2147483648, 1e-320, "NaN", ".inf", c(1, 2, 3), "%s%n", "'; DROP TABLE takes; --", "$(touch x)"
)

# Changes something somewhere in a tree of lists: a value, a name, an entry too many or too few.
mutate_tree <- function(tree, depth = 0) {
  if (!is.list(tree) || length(tree) == 0 || (depth > 0 && runif(1) < 0.25)) {
    return(sample(odd_values, 1)[[1]])
  }

  at <- sample(length(tree), 1)
  way <- sample(7, 1)
  if (way == 1) {
    tree[[at]] <- NULL
  } else if (way == 2 && !is.null(names(tree))) {
    names(tree)[at] <- sample(c("", "x", "id", "kind", "engine", "1", "NULL", names(tree)), 1)
  } else if (way == 3) {
    tree <- c(tree, tree[at])
  } else if (way == 4 && !is.null(names(tree))) {
    names(tree) <- NULL
  } else {
    changed <- mutate_tree(tree[[at]], depth + 1)
    tree[at] <- list(changed)
  }

  tree
}

# The tree as YAML in block style, in flow style, or as JSON.
write_tree <- function(tree) {
  text <- if (sample(2, 1) == 1) {
    yaml::as.yaml(tree)
  } else {
    as.character(jsonlite::toJSON(tree, auto_unbox = TRUE, null = "null", digits = NA))
  }
  charToRaw(enc2utf8(text))
}

mutate_bytes <- function(bytes, kind) {
  n <- length(bytes)
  if (kind %in% text_kinds && sample(3, 1) > 1) {
    # Text is broken by other text.
    at <- sample(n, sample(c(1, 1, 2, 5), 1))
    bytes[at] <- sample(bytes, length(at), TRUE)
    return(bytes)
  }

  if (kind %in% png_kinds && sample(2, 1) == 1) {
    at <- sample(9:n, sample(c(1, 2, 4), 1))
    bytes[at] <- as.raw(sample(0:255, length(at), TRUE))
    return(mend_checksums(bytes))
  }

  way <- sample(6, 1)
  if (way == 1) {
    return(bytes[seq_len(sample(n, 1))])
  }

  if (way == 2) {
    return(c(bytes[seq_len(sample(n, 1))], bytes[sample(n, 1):n]))
  }

  if (way == 3) {
    return(append(bytes, as.raw(sample(0:255, 8, TRUE)), sample(n, 1)))
  }

  # Heads decide most: half of the changes fall there.
  reach <- if (way == 4) min(n, 64) else n
  at <- sample(reach, min(reach, sample(c(1, 2, 4, 16), 1)))
  values <- if (way == 6) c(0, 255, 127, 128) else 0:255
  bytes[at] <- as.raw(sample(values, length(at), TRUE))
  bytes
}

mutate_input <- function(kind, bytes, trees) {
  if (kind %in% yaml_kinds && runif(1) < 0.6) {
    tree <- trees[[kind]]
    for (i in seq_len(sample(3, 1))) {
      tree <- mutate_tree(tree)
    }

    return(write_tree(tree))
  }

  mutate_bytes(bytes, kind)
}

# A whole trial, of which one file has been mutated.
mutated_trial <- function(sources, trees) {
  folder <- file.path(work, "mutated")
  if (!dir.exists(folder)) {
    copy_folder(file.path(work, "small"), folder)
  }

  for (file in c("suite", "lineup", "brief")) {
    file.copy(file.path(work, "small", paste0(file, ".yml")), folder, overwrite = TRUE)
  }

  file <- sample(c("suite", "lineup", "brief"), 1)
  path <- file.path(folder, paste0(file, ".yml"))
  tree <- mutate_tree(yaml::read_yaml(path, handlers = list(seq = as.list)))
  writeBin(write_tree(tree), path)
  folder
}

read_input <- function(kind, bytes, sources, trees) {
  file <- file.path(work, "reading", paste0("x-", kind))
  writeBin(bytes, file)
  target <- file.path(work, "reading", "target")
  on.exit(unlink(c(file, target), recursive = TRUE))
  switch(kind,
    pose = core("read_keypoints")(file),
    suite = ,
    lineup = ,
    brief = {
      folder <- file.path(work, "yaml")
      writeBin(bytes, file.path(folder, paste0(kind, ".yml")))
      problems <- core("read_trial_file")(folder, paste0(kind, ".yml"))$problems
      stop_for_problem(problems)
    },
    workers = core("read_workers")(file),
    trial = stop_for_problem(check_trial(mutated_trial(sources, trees))),
    csv = ,
    parquet = ,
    zip = new_trial(target, from = file),
    npy = {
      named <- file.path(work, "yaml", "v.npy")
      writeBin(bytes, named)
      writeLines(c("one", "two", "three"), file.path(work, "yaml", "v.txt"))
      core("read_vectors")(named)
    },
    vectors = {
      named <- file.path(work, "yaml", "v.csv")
      writeBin(bytes, named)
      core("read_vectors")(named)
    },
    recipe = read_recipe(file),
    read_picture(file)
  )
}

# Problems are listed rather than raised.
stop_for_problem <- function(problems) {
  if (NROW(problems)) {
    words <- paste(unlist(problems[c("found", "wanted")]), collapse = " ")
    rlang::abort(words, class = c("sprenn_error_problem", "sprenn_error"))
  }
}

peak_mb <- function() {
  status <- tryCatch(readLines("/proc/self/status"), error = function(e) character())
  as.numeric(gsub("[^0-9]", "", grep("^VmHWM", status, value = TRUE))) / 1024
}

# Of this process and those that it has started, so that other work beside does not count.
processor_time <- function() sum(proc.time()[1:5][-3])

# How an input ended: "read", "refused", or "found".
try_input <- function(kind, bytes, number, sources, trees) {
  keep <- function(why) {
    file <- file.path(getwd(), paste0("chaos-input-", number, "-", kind))
    if (kind == "trial") {
      copy_folder(file.path(work, "mutated"), file)
    } else {
      writeBin(bytes, file)
    }

    found("an input of the kind ", kind, ": ", why, "; kept as ", basename(file))
    "found"
  }

  began <- processor_time()
  outcome <- tryCatch(
    {
      suppressWarnings(read_input(kind, bytes, sources, trees))
      "read"
    },
    sprenn_error = function(e) {
      words <- paste(conditionMessage(e), paste(unlist(e$details), collapse = " "))
      if (grepl(internals, words)) keep(paste("R's own words,", words)) else "refused"
    },
    error = function(e) {
      # The vectors of judges are refused in words that their trial's error takes up.
      own <- kind %in% c("npy", "vectors") && grepl("^v[.](npy|csv) ", conditionMessage(e))
      if (own) "refused" else keep(conditionMessage(e))
    }
  )
  seconds <- processor_time() - began
  if (seconds > most_seconds) {
    outcome <- keep(sprintf("took %.1f s", seconds))
  }

  outcome
}

run_inputs <- function(count) {
  sources <- make_sources()
  trees <- lapply(
    stats::setNames(nm = yaml_kinds),
    function(kind) yaml::read_yaml(text = rawToChar(sources[[kind]]), handlers = list(seq = as.list))
  )
  for (folder in c("yaml", "reading")) {
    dir.create(file.path(work, folder))
  }

  before <- sort(list.files(work))
  here <- sort(list.files(getwd()))
  start <- peak_mb()
  # A zip is opened whole each time, a Parquet file in a process of its own, and a trial's
  # pictures are looked at, so there are fewer of them.
  slow <- c(zip = 0.02, parquet = 0.02, trial = 0.1)
  share <- ifelse(names(sources) %in% names(slow), slow[names(sources)], 1)
  kinds <- sample(names(sources), count, TRUE, prob = share)
  tally <- matrix(
    0,
    length(sources),
    3,
    dimnames = list(names(sources), c("read", "refused", "found"))
  )
  for (i in seq_len(count)) {
    kind <- kinds[i]
    bytes <- mutate_input(kind, sources[[kind]], trees)
    outcome <- try_input(kind, bytes, i, sources, trees)
    tally[kind, outcome] <- tally[kind, outcome] + 1
    if (i %% 10000 == 0) {
      say("%d inputs, %d finds, memory %.0f MB at most", i, sum(tally[, "found"]), peak_mb())
    }
  }

  more <- setdiff(list.files(work), c(before, "mutated"))
  if (length(more)) {
    found("inputs left ", paste(head(more), collapse = ", "))
  }

  more <- grep("^chaos-input-", setdiff(list.files(getwd()), here), value = TRUE, invert = TRUE)
  if (length(more)) {
    found("inputs left ", paste(head(more), collapse = ", "), " in the working folder")
  }

  if (peak_mb() > most_mb) {
    found("inputs took ", round(peak_mb()), " MB of memory")
  }

  print(tally)
  say(
    "inputs: %d, %d read, %d refused, %d finds; memory %.0f MB at the start, %.0f MB at most",
    count, sum(tally[, 1]), sum(tally[, 2]), sum(tally[, 3]), start, peak_mb()
  )
}
