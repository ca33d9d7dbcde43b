#' Install the command
#'
#' Puts the command `sprenn` where the system looks for commands, for those who have installed the
#' package without its sources. On Windows it is `sprenn.cmd`; elsewhere a shell script, with
#' completions for bash and zsh and a manual page beside it.
#'
#' The launcher starts the R that it was installed from, and finds the package where it is now.
#' Install it again after a new version of R.
#'
#' @param folder Where to put it; if `NULL`, `/usr/local/bin` if you may write there, or else
#'   `~/.local/bin`; on Windows the folder of your own commands, which is on the search path.
#' @return The files that were written, invisibly, the launcher first. A message says where it is,
#'   and what to do if that is not on the search path.
#' @section Errors: `sprenn_error_file` if the folder can't be written to.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "launcher", "bin")
#' install_launcher(folder)
#' unlink(dirname(folder), recursive = TRUE)
install_launcher <- function(folder = NULL) {
  check_arguments(folder = checkmate::check_string(folder, min.chars = 1, null.ok = TRUE))
  windows <- .Platform$OS.type == "windows"
  folder <- path.expand(folder %||% command_folder(windows))
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  file <- file.path(folder, if (windows) "sprenn.cmd" else "sprenn")
  write_lines(if (windows) cmd_launcher() else shell_launcher(), file)
  Sys.chmod(file, "755")
  files <- c(file, if (!windows) install_completions(dirname(folder)))
  message("The launcher is ", file)
  if (!is_on_search_path(folder)) {
    message(
      folder, " is not on the search path",
      if (windows) "." else paste0("; add it with: export PATH=\"", folder, ":$PATH\"")
    )
  }

  invisible(files)
}

command_folder <- function(windows) {
  if (windows) {
    return(file.path(Sys.getenv("LOCALAPPDATA"), "Microsoft", "WindowsApps"))
  }

  if (file.access("/usr/local/bin", 2) == 0) "/usr/local/bin" else "~/.local/bin"
}

is_on_search_path <- function(folder) {
  whole <- function(path) normalizePath(path, winslash = "/", mustWork = FALSE)
  whole(folder) %in% whole(strsplit(Sys.getenv("PATH"), .Platform$path.sep, fixed = TRUE)[[1]])
}

# The script that comes with the package, for this R and this library.
shell_launcher <- function() {
  lines <- readLines(system.file("bin", "sprenn", package = "sprenn"))
  lines <- sub("exec Rscript", paste("exec", shQuote(rscript_path())), lines, fixed = TRUE)
  library <- own_library()
  if (is.null(library)) {
    return(lines)
  }

  at <- grep("^R_DEFAULT_PACKAGES", lines)
  append(lines, paste0("export R_LIBS=", shQuote(library), "\"${R_LIBS:+:$R_LIBS}\""), at - 1)
}

# The same for Windows. R reads the user's own start-up files only.
cmd_launcher <- function() {
  own_file <- function(name) normalizePath(file.path("~", name), mustWork = FALSE)
  library <- own_library()
  c(
    "@echo off",
    "rem Passes its arguments to the package and exits with its status.",
    "setlocal",
    sprintf(
      "if not defined %s set \"%s=%s\"",
      c("R_PROFILE_USER", "R_ENVIRON_USER"),
      c("R_PROFILE_USER", "R_ENVIRON_USER"),
      own_file(c(".Rprofile", ".Renviron"))
    ),
    if (!is.null(library)) sprintf("set \"R_LIBS=%s;%%R_LIBS%%\"", library),
    "set R_DEFAULT_PACKAGES=NULL",
    paste0(
      "\"", rscript_path(), "\" --no-save --no-restore --no-site-file ",
      "-e \"Sys.unsetenv('R_DEFAULT_PACKAGES')\" ",
      "-e \"quit(status = sprenn::sprenn_command(commandArgs(TRUE)))\" %*"
    ),
    "exit /b %ERRORLEVEL%"
  )
}

rscript_path <- function() {
  name <- if (.Platform$OS.type == "windows") "Rscript.exe" else "Rscript"
  normalizePath(file.path(R.home("bin"), name), mustWork = FALSE)
}

# The library that the package is in, if R does not look there by itself.
own_library <- function() {
  library <- dirname(find.package("sprenn"))
  whole <- function(path) normalizePath(path, winslash = "/", mustWork = FALSE)
  users <- strsplit(Sys.getenv("R_LIBS_USER"), .Platform$path.sep, fixed = TRUE)[[1]]
  if (whole(library) %in% whole(c(.Library, .Library.site, users))) NULL else library
}

# What shells and `man` look for lies beside the launcher.
install_completions <- function(prefix) {
  share <- file.path(prefix, "share")
  files <- file.path(share, c(
    "bash-completion/completions/sprenn", "zsh/site-functions/_sprenn", "man/man1/sprenn.1"
  ))
  texts <- list(bash_completions, zsh_completions, manual_page)
  for (i in seq_along(files)) {
    dir.create(dirname(files[i]), showWarnings = FALSE, recursive = TRUE)
    write_lines(texts[[i]](cli_commands()), files[i])
  }

  message("Completions and the manual page are below ", share)
  files
}
