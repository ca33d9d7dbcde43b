// What is written is on the disk, and not only on its way there, before it is
// recorded.
#include <Rcpp.h>

#include <algorithm>
#include <chrono>
#include <string>
#include <thread>

#ifndef _WIN32
#include <cerrno>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

#ifdef __linux__
#include <sys/syscall.h>
#endif

#ifdef __APPLE__
#include <stdio.h>
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

// Whether there is something at a path that is neither a file nor a folder: a device, a pipe.
// [[Rcpp::export]]
bool is_special(const std::string& path) {
#ifdef _WIN32
  return false;
#else
  struct stat facts;
  return stat(path.c_str(), &facts) == 0 && !S_ISREG(facts.st_mode) && !S_ISDIR(facts.st_mode);
#endif
}

// Which file or folder there is at a path, whatever its name; "" if there is none. Where systems
// have no such numbers, all are the same.
// [[Rcpp::export]]
std::string identity_of(const std::string& path) {
#ifdef _WIN32
  return "any";
#else
  struct stat facts;
  if (stat(path.c_str(), &facts) != 0)
    return "";
  return std::to_string(facts.st_dev) + ":" + std::to_string(facts.st_ino);
#endif
}

// Lets two files or folders change places in one step, and says whether that was possible: neither
// every system nor every file system can do it.
// [[Rcpp::export]]
bool exchange_paths(const std::string& one, const std::string& other) {
#if defined(__linux__) && defined(SYS_renameat2)
  const unsigned int exchange = 2;  // RENAME_EXCHANGE of linux/fs.h, which older systems lack
  return syscall(SYS_renameat2, AT_FDCWD, one.c_str(), AT_FDCWD, other.c_str(), exchange) == 0;
#elif defined(__APPLE__) && defined(RENAME_SWAP)
  return renamex_np(one.c_str(), other.c_str(), RENAME_SWAP) == 0;
#else
  return false;
#endif
}

// Seconds on a clock that nobody can set, from some moment on.
// [[Rcpp::export]]
double steady_seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Sleeps for so many seconds of that clock, and can be interrupted. R's own Sys.sleep() goes by the
// system's clock: set back by an hour while it sleeps, it sleeps for an hour more.
// [[Rcpp::export]]
void steady_sleep(double seconds) {
  const double longest_part = 0.05;  // between two looks for an interrupt
  const double until = steady_seconds() + seconds;
  double left = seconds;
  while (left > 0) {
    std::this_thread::sleep_for(std::chrono::duration<double>(std::min(left, longest_part)));
    Rcpp::checkUserInterrupt();
    left = until - steady_seconds();
  }
}
