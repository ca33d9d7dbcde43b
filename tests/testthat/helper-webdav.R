# A real WebDAV server of a test's own: nginx for a folder that it may write to; returns its
# address, the folder, and how to stop it.
local_dav <- function(env = parent.frame()) {
  skip_on_cran()
  skip_on_os("windows")
  skip_if(!nzchar(Sys.which("nginx")), "nginx is not installed")
  place <- withr::local_tempdir(pattern = "dav", .local_envir = env)
  kept <- file.path(place, "kept")
  dir.create(kept)
  Sys.chmod(c(place, kept), "777")
  port <- httpuv::randomPort()
  writeLines(
    c(
      if (identical(unname(Sys.info()[["effective_user"]]), "root")) "user root;",
      "daemon off; master_process off; pid nginx.pid; error_log stderr;",
      "events {}",
      "http {",
      "  access_log off;",
      "  client_max_body_size 20m;",
      sprintf("  %s_temp_path temp;", c("client_body", "proxy", "fastcgi", "uwsgi", "scgi")),
      "  server {",
      sprintf("    listen 127.0.0.1:%d;", port),
      sprintf("    root %s;", kept),
      "    location / { dav_methods PUT DELETE MKCOL; }",
      "  }",
      "}"
    ),
    file.path(place, "nginx.conf")
  )
  process <- processx::process$new(
    Sys.which("nginx"),
    c("-p", place, "-c", file.path(place, "nginx.conf")),
    stderr = file.path(place, "error.log"), cleanup_tree = TRUE
  )
  withr::defer(process$kill_tree(), envir = env)
  wait_until(curl::curl_fetch_memory(paste0("http://127.0.0.1:", port, "/"))$status_code > 0)
  list(
    address = paste0("http://127.0.0.1:", port, "/spring"),
    kept = file.path(kept, "spring"),
    place = kept,
    stop = function() process$kill_tree()
  )
}
