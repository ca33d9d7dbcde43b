# What can be known of an engine without making a picture, and so without paying: whether its
# program is there, its key is set, its server answers.

# Why an engine can't be used now, a text each: `wanted` is its entry in lineup.yml, `built` the
# engine. Nothing is made.
why_unusable <- function(wanted, built, folder) {
  c(
    lacking_variables(c(wanted$key, unlist(wanted$env))),
    switch(wanted$kind,
      described = silent_host(wanted),
      command = lacking_program(unlist(wanted$command), folder),
      inference = silent_model(wanted),
      http = built$remembered$why
    )
  )
}

lacking_variables <- function(names) {
  unset <- names[!nzchar(Sys.getenv(names))]
  paste0("the environment variable ", unset, " is not set", recycle0 = TRUE)
}

# The program itself, and the script that an interpreter is to run.
lacking_program <- function(words, folder) {
  program <- find_program(words[1], folder)
  is_path <- grepl("/", program, fixed = TRUE)
  if (!(if (is_path) file.exists(program) else nzchar(Sys.which(program)))) {
    return(paste0("there is no program ", words[1]))
  }

  if (is_path && file.access(program, 1) != 0) {
    return(paste0(words[1], " is not executable"))
  }

  scripts <- grep("^[^-].*[.](R|py|sh|js|pl|rb|lua|jl)$", words[-1], value = TRUE)
  paths <- as.character(ifelse(startsWith(scripts, "/"), scripts, file.path(folder, scripts)))
  paste0("there is no file ", utils::head(scripts[!file.exists(paths)], 1), recycle0 = TRUE)
}

# Whatever a service answers at its address costs nothing, and shows that it is there.
silent_host <- function(wanted) {
  tryCatch(
    {
      fetch("HEAD", wanted$address, seconds = 10)
      NULL
    },
    sprenn_failure = function(e) {
      if (e$kind %in% c("unreachable", "timed_out")) {
        safe_message(conditionMessage(e), as.character(wanted$key))
      }
    }
  )
}

# The description of a model costs nothing.
silent_model <- function(wanted) {
  url <- model_url(sub("/$", "", wanted$address), wanted$model)
  tryCatch(
    {
      answer <- fetch("GET", url, key_headers(wanted), seconds = 10)
      if (answer$status != 200) {
        stop_for_inference(answer, url, NULL)
      }

      NULL
    },
    sprenn_failure = function(e) safe_message(conditionMessage(e), as.character(wanted$key))
  )
}
