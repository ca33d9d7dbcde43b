# Pictures on a web server that speaks WebDAV (RFC 4918), for machines that share no folder. They
# have the same names there, by the SHA-256 of their bytes, and a run's folder has a copy of those
# that were made or looked at on this machine. The address is kept with the run's records. A user's
# name and password are looked up where curl finds them, in ~/.netrc.
PictureServer <- R6::R6Class(
  "sprenn_pictures",
  cloneable = FALSE,
  public = list(
    initialize = function(address) private$address <- sub("/+$", "", address),

    # From now on, a server that can't be reached is tried again for so many seconds.
    be_patient = function(seconds, told) {
      private$patience <- seconds
      private$told <- told
    },

    # Puts pictures, each the bytes of a file, under their names. What is there already is the same.
    put = function(files, pictures) {
      for (i in which(!duplicated(files))) {
        private$make_folder(dirname(files[i]))
        type <- paste0("image/", sub("^jpg$", "jpeg", tools::file_ext(files[i])))
        answer <- private$call(
          "PUT", files[i],
          headers = c("Content-Type" = type), body = pictures[[i]]
        )
        if (!answer$status %in% c(200, 201, 204)) {
          private$stop_for(answer, "takes no picture")
        }
      }
    },

    # The bytes of a picture, or NULL if the server has none.
    get = function(file) {
      answer <- private$call("GET", file, most = most_bytes_of_picture)
      if (answer$status %in% c(404, 410)) {
        return(NULL)
      }

      if (answer$status != 200) {
        private$stop_for(answer, "gives no picture")
      }

      answer$body
    },

    delete = function(files) {
      for (file in files) {
        answer <- private$call("DELETE", file)
        if (!answer$status %in% c(200, 202, 204, 404, 410)) {
          private$stop_for(answer, "deletes no picture")
        }
      }
    }
  ),
  private = list(
    address = NULL,
    # Folders that are there.
    folders = character(),
    patience = 0,
    told = NULL,

    call = function(method, file, ..., most = 1e6) {
      url <- paste0(private$address, "/", file)
      began <- clock()
      repeat {
        answer <- tryCatch(
          fetch(method, url, ..., most = most, hops = 0, netrc = TRUE),
          sprenn_failure = identity
        )
        failed <- inherits(answer, "condition")
        if (!failed && !answer$status %in% passing_statuses) {
          return(answer)
        }

        is_passing <- !failed ||
          (answer$kind %in% c("unreachable", "timed_out") && !isTRUE(answer$lasting))
        if (!is_passing || clock() - began >= private$patience) {
          private$stop_for(answer, "can't be reached")
        }

        private$told("the run's pictures can't be reached; trying again")
        steady_sleep(1)
      }
    },

    # Servers differ in how they refuse a picture whose folder is missing.
    make_folder = function(folder) {
      if (folder %in% private$folders) {
        return(invisible())
      }

      # The run's own folder may be one that nobody may make.
      if (length(private$folders) == 0) {
        private$call("MKCOL", "")
      }

      answer <- private$call("MKCOL", paste0(folder, "/"))
      # 405: it is there.
      if (!answer$status %in% c(200, 201, 405)) {
        private$stop_for(answer, "makes no folder")
      }

      private$folders <- c(private$folders, folder)
    },

    stop_for = function(answer, what) {
      failed <- inherits(answer, "condition")
      advice <- if (!failed) status_advice(answer$status)
      stop_sprenn(
        "store",
        c(
          paste0("The server of the run's pictures ", what, "."),
          x = if (failed) {
            conditionMessage(answer)
          } else {
            paste0(private$address, " answered with status ", answer$status, ".")
          },
          if (!is.null(advice)) c(x = advice),
          i = "Everything made so far is kept; the same command resumes."
        )
      )
    }
  )
)

# Answers of a server that may be well in a moment.
passing_statuses <- c(408, 429, 500, 502, 503, 504)

status_advice <- function(status) {
  switch(as.character(status),
    "401" = ,
    "403" = "It wants a name and a password, or others: a line of ~/.netrc.",
    "405" = "It may not accept what is written to it: WebDAV has to be switched on.",
    "413" = "The picture is larger than it accepts.",
    "507" = "Its disk is full."
  )
}

# As much as a picture may have anywhere.
most_bytes_of_picture <- 256 * 1024^2

check_pictures_address <- function(address) {
  if (is.null(address) || (is_text(address) && grepl(address_pattern, address, perl = TRUE))) {
    return(TRUE)
  }

  "must be https://HOST/FOLDER, or http:// on this machine alone, without a name or a password"
}

# The server of a run's pictures; NULL where they are in its folder. An error if `address` is given
# and they are elsewhere.
pictures_of_run <- function(store, address = NULL) {
  before <- read_fact(store, "pictures")
  if (!is.null(address) && !identical(before, address)) {
    stop_sprenn(
      "run",
      c(
        paste0("Run ", quoted(store$run), " keeps its pictures elsewhere."),
        x = paste(
          "They are", if (is.na(before)) "in its folder" else paste("at", before),
          "and not at", address
        ),
        i = "Leave `--pictures` out to go on with it, or begin another run with --run NAME."
      )
    )
  }

  if (!is.na(before)) PictureServer$new(before)
}

# Keeps the address for a run that has no pictures yet.
note_pictures_address <- function(store, address) {
  if (!is.null(address) && is.na(read_fact(store, "pictures")) && length(read_made(store)) == 0) {
    set_facts(store, pictures = address)
  }
}

# Brings files that are not here from the pictures' server, if there is one. What it gives is
# checked by the hash in its name. FALSE for files that it does not have.
bring_pictures <- function(store, files) {
  vapply(files, function(file) {
    path <- take_path(store, file)
    if (is.null(store$pictures) || file.exists(path)) {
      return(TRUE)
    }

    bytes <- store$pictures$get(file)
    if (is.null(bytes)) {
      return(FALSE)
    }

    if (sha256_of(bytes) != hash_in_name(file)) {
      stop_sprenn(
        "store",
        c(
          paste0("The server of the run's pictures gives another picture for ", file, "."),
          i = paste0("`sprenn check TRIAL --run ", store$run, " --repair` mends it.")
        )
      )
    }

    dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
    write_bytes(bytes, path)
    TRUE
  }, NA, USE.NAMES = FALSE)
}

hash_in_name <- function(file) sub("[.].*", "", basename(file))

# The paths of files, which are brought here where they are not.
picture_paths <- function(store, files) {
  bring_pictures(store, files)
  take_path(store, files)
}

# What has become of files that were recorded: `good`, `gone` or `altered`, on the pictures' server
# if there is one. `told` is called with how many were looked at.
states_of_pictures <- function(store, files, bytes, told = function(done) NULL) {
  vapply(seq_along(files), function(k) {
    told(k)
    if (is.null(store$pictures)) {
      path <- take_path(store, files[k])
      if (!file.exists(path)) {
        return("gone")
      }

      same <- file.size(path) == bytes[k] && sha256_of_file(path) == hash_in_name(files[k])
    } else {
      found <- store$pictures$get(files[k])
      if (is.null(found)) {
        return("gone")
      }

      same <- sha256_of(found) == hash_in_name(files[k])
    }

    if (same) "good" else "altered"
  }, "")
}

# Puts a picture that the server has lost, or altered, there again from the copy here. FALSE if
# there is no good copy.
put_again <- function(store, file) {
  path <- take_path(store, file)
  has_copy <- !is.null(store$pictures) && file.exists(path) &&
    sha256_of_file(path) == hash_in_name(file)
  if (has_copy) {
    store$pictures$put(file, list(read_bytes(path)))
  }

  has_copy
}
