# A run as a Research Object Crate (RO-Crate 1.1, an open standard): a zip with the
# trial, the pictures, the tables, and one JSON-LD file that says how each came about.

write_crate <- function(trial, store, file, licence, progress) {
  work <- tempfile("crate-")
  on.exit(unlink(work, recursive = TRUE))
  dir.create(file.path(work, "trial"), recursive = TRUE)
  make_folder(file.path(work, "tables"))
  make_folder(file.path(work, "takes"))
  copy_trial(trial$folder, file.path(work, "trial"))
  # The engines' descriptions of themselves, so that the trial can be read without the engines.
  for (name in list.files(file.path(trial$folder, "runs", "engines"))) {
    copy_into(
      file.path(work, "trial"),
      file.path(trial$folder, "runs", "engines", name),
      file.path("runs", "engines", name)
    )
  }

  made <- write_pictures(store, file.path(work, "takes"), progress)
  write_csvs(store, file.path(work, "tables"))
  write_json(
    list(
      "@context" = "https://w3id.org/ro/crate/1.1/context",
      "@graph" = crate_graph(trial, store, made, work, licence)
    ),
    file.path(work, "ro-crate-metadata.json")
  )
  write_zip(file, work, list.files(work), "file")
  nrow(made)
}

# Everything in the crate as one flat list of things that refer to each other.
crate_graph <- function(trial, store, made, work, licence) {
  takes <- read_takes(store)
  pipelines <- read_pipelines(store)
  facts <- get_facts(store)
  files <- setdiff(list.files(work, recursive = TRUE), "ro-crate-metadata.json")
  takes$path <- made$path[match(takes$take, made$take)]
  versions <- unique(pipelines[c("engine", "engine_version")])
  engines <- Map(
    function(name, version) {
      list(
        "@id" = engine_id(name, version),
        "@type" = "SoftwareApplication",
        name = name,
        softwareVersion = version
      )
    },
    versions$engine,
    versions$engine_version
  )
  sprenn <- list(
    "@id" = "#sprenn",
    "@type" = "SoftwareApplication",
    name = "Sprenn",
    softwareVersion = facts$sprenn_version
  )
  tried <- takes[takes$state != "planned", ]
  measuring <- list(
    "@id" = "#measuring",
    "@type" = "CreateAction",
    name = "Measuring the takes",
    instrument = refer("#sprenn"),
    object = refer("takes/"),
    result = refer("tables/scores.csv")
  )
  words <- paste0(
    "Run ", store$run, " of the suite ", trial$suite$suite, ": ",
    nrow(made), " pictures that ", length(unique(takes$pipeline)),
    " pipelines made of ", length(trial$suite$cases),
    " cases, what each was made from and with, and how it was measured."
  )
  root <- list(
    "@id" = "./",
    "@type" = "Dataset",
    name = trial$suite$title %||% trial$suite$suite,
    description = words,
    datePublished = substr(now_utc(), 1, 10),
    identifier = paste0(facts$suite_fingerprint, "/", store$run),
    hasPart = lapply(c("trial/", "takes/", "tables/"), refer)
  )
  if (!is.null(licence)) {
    root$license <- refer(licence)
  }

  folder <- function(id, name) {
    list(
      "@id" = id,
      "@type" = "Dataset",
      name = name,
      hasPart = lapply(crate_id(files[startsWith(files, id)]), refer)
    )
  }

  c(
    list(
      list(
        "@id" = "ro-crate-metadata.json",
        "@type" = "CreativeWork",
        conformsTo = refer("https://w3id.org/ro/crate/1.1"),
        about = refer("./")
      ),
      root,
      folder("trial/", "What was asked, of which pipelines, and what for"),
      folder("takes/", "The pictures"),
      folder("tables/", "Takes, scores, pipelines and ballots"),
      sprenn
    ),
    if (!is.null(licence)) {
      list(list("@id" = licence, "@type" = "CreativeWork", name = licence))
    },
    unname(engines),
    file_entities(files, work, made),
    lapply(seq_len(nrow(tried)), function(i) take_action(tried[i, ], trial, takes, pipelines)),
    list(measuring)
  )
}

refer <- function(id) list("@id" = id)

# An id is a relative address: what addresses don't take is escaped.
crate_id <- function(files) vapply(files, utils::URLencode, "", USE.NAMES = FALSE)

engine_id <- function(name, version) {
  paste0("#engine-", crate_id(name), "-", crate_id(gsub(" ", "-", version)))
}

file_formats <- c(
  png = "image/png",
  jpg = "image/jpeg",
  jpeg = "image/jpeg",
  webp = "image/webp",
  tif = "image/tiff",
  tiff = "image/tiff",
  yml = "application/yaml",
  json = "application/json",
  csv = "text/csv",
  R = "text/x-r-source",
  xmp = "application/rdf+xml"
)

file_entities <- function(files, work, made) {
  take <- made[match(files, file.path("takes", made$path)), ]
  lapply(seq_along(files), function(i) {
    path <- file.path(work, files[i])
    format <- file_formats[tools::file_ext(files[i])]
    c(
      list(
        "@id" = crate_id(files[i]),
        "@type" = "File",
        name = if (is.na(take$take[i])) {
          basename(files[i])
        } else {
          paste0(take$pipeline[i], ", ", take$case[i], ", seed ", take$seed[i])
        }
      ),
      if (!is.na(format)) list(encodingFormat = unname(format)),
      list(contentSize = as.character(file.size(path)), sha256 = sha256_of_file(path)),
      if (!is.na(take$take[i])) list(width = take$width[i], height = take$height[i])
    )
  })
}

# How a take came about: who made it, from which files, with which settings.
take_action <- function(take, trial, takes, pipelines) {
  step <- pipelines[pipelines$pipeline == take$pipeline, ]
  case <- tryCatch(case_named(trial$suite, take$case), error = function(e) NULL)
  given <- unlist(
    c(
      if (is.na(take$parent)) lapply(case$references, `[[`, "path"),
      if (!is.null(case) && !is.na(case$look)) trial$suite$looks[[case$look]]
    ),
    use.names = FALSE
  )
  inputs <- file.path("trial", substring(as.character(given), nchar(trial$folder) + 2))[seq_along(
    given
  )]
  if (!is.na(take$parent)) {
    inputs <- c(
      inputs,
      file.path("takes", stats::na.omit(takes$path[takes$take %in% take$parent]))
    )
  }

  made <- take$state == "made"
  Filter(
    function(value) length(value) > 0,
    list(
      "@id" = paste0("#take-", take$take),
      "@type" = "CreateAction",
      name = paste0(
        take$pipeline, ", ", take$case, ", seed ", take$seed,
        if (!is.na(take$control)) paste0(", control: ", gsub("_", " ", take$control))
      ),
      description = listed(c(
        paste("checkpoint", step$checkpoint),
        if (!is.na(step$hold)) paste("hold", format(step$hold)),
        setdiff(unlist(step[c("settings", "add_ons", "gives")]), "{}")
      )),
      instrument = refer(engine_id(step$engine, step$engine_version)),
      object = lapply(crate_id(inputs), refer),
      result = if (made) {
        refer(crate_id(file.path("takes", takes$path[takes$take == take$take])))
      },
      endTime = if (!is.na(take$made_at)) take$made_at,
      actionStatus = refer(paste0(
        "http://schema.org/", if (made) "CompletedActionStatus" else "FailedActionStatus"
      )),
      error = if (!made && !is.na(take$message)) take$message
    )
  )
}
