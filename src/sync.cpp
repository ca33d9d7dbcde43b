// What is written is on the disk, and not only on its way there, before it is
// recorded.
#include <Rcpp.h>

#include <chrono>

#ifndef _WIN32
#include <cerrno>
#include <fcntl.h>
#include <unistd.h>
#endif

// Whether a file, or the entries of a folder, could be brought to the disk. Folders
// that can't be asked to (some network disks) count as brought.
// [[Rcpp::export]]
bool sync_file(const std::string& path) {
#ifdef _WIN32
  return true;
#else
  const int file = open(path.c_str(), O_RDONLY);
  if (file < 0)
    return false;
  const bool synced = fsync(file) == 0 || errno == EINVAL || errno == ENOTSUP;
  close(file);
  return synced;
#endif
}

// Seconds on a clock that nobody can set, from some moment on.
// [[Rcpp::export]]
double steady_seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}
