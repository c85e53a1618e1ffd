/* What R does not tell of files: their kind, owner and mode, and whether bytes that were written
 * arrived. */
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <string.h>
#include <sys/types.h>
#include <sys/stat.h>
#include <unistd.h>
#include "checks.h"

/* In: a path. Out: NULL where there is nothing, else list(kind, mode, owner, group) of what the
 * path leads to. */
SEXP path_facts_of(SEXP path) {
  struct stat at;
  const char *name = R_ExpandFileName(need_text(path, "path_facts_of", "a path"));
  if (stat(name, &at) != 0) return R_NilValue;
  const char *kind = S_ISREG(at.st_mode) ? "file"
    : S_ISDIR(at.st_mode)                ? "folder"
    : S_ISFIFO(at.st_mode)               ? "pipe"
    : S_ISCHR(at.st_mode)                ? "device"
    :
#ifdef S_ISSOCK
    S_ISSOCK(at.st_mode) ? "socket"
                         :
#endif
                         "other";
  const char *names[] = { "kind", "mode", "owner", "group", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, mkString(kind));
  SET_VECTOR_ELT(out, 1, ScalarInteger(at.st_mode & 07777));
  SET_VECTOR_ELT(out, 2, ScalarReal(at.st_uid));
  SET_VECTOR_ELT(out, 3, ScalarReal(at.st_gid));
  UNPROTECT(1);
  return out;
}

/* Gives a file an owner, a group and a mode. Out: "" or why not. */
SEXP own_file(SEXP path, SEXP owner, SEXP group, SEXP mode) {
  const char *name = R_ExpandFileName(need_text(path, "own_file", "a path"));
  need(
    TYPEOF(owner) == REALSXP && XLENGTH(owner) == 1 && REAL(owner)[0] >= 0, "own_file", "an owner");
  need(
    TYPEOF(group) == REALSXP && XLENGTH(group) == 1 && REAL(group)[0] >= 0, "own_file", "a group");
  int bits = need_count(mode, 0, "own_file", "a mode");
#ifndef _WIN32
  struct stat at;
  if (stat(name, &at) != 0) return mkString(strerror(errno));
  uid_t user = (uid_t)REAL(owner)[0];
  gid_t people = (gid_t)REAL(group)[0];
  if ((at.st_uid != user || at.st_gid != people) && chown(name, user, people) != 0)
    return mkString(strerror(errno));
#endif
  if (chmod(name, (mode_t)bits) != 0) return mkString(strerror(errno));
  return mkString("");
}

/* In a child process: a fault ends it at once, without R's farewell, which would clear away the
   folder for temporary files that it shares with its parent. */
SEXP default_faults(void) {
  const int faults[] = { SIGSEGV, SIGILL, SIGFPE, SIGABRT,
#ifdef SIGBUS
    SIGBUS
#endif
  };
  for (size_t i = 0; i < sizeof faults / sizeof faults[0]; i++) signal(faults[i], SIG_DFL);
  return R_NilValue;
}

/* Writes bytes to standard output (1), standard error (2) or a path: into what is there, or into a
   new file. Out: "" or why they did not arrive; "closed" where the reader went away. */
SEXP write_bytes(SEXP to, SEXP bytes) {
  need(TYPEOF(bytes) == RAWSXP, "write_bytes", "bytes");
  int number, opened = TYPEOF(to) == STRSXP;
  if (opened) {
    const char *name = R_ExpandFileName(need_text(to, "write_bytes", "1, 2 or a path"));
    number = open(name, O_WRONLY | O_TRUNC);
    if (number < 0 && errno == ENOENT) number = open(name, O_WRONLY | O_CREAT | O_TRUNC, 0666);
    if (number < 0) return mkString(strerror(errno));
  } else {
    number = need_count(to, 1, "write_bytes", "1, 2 or a path");
    need(number <= 2, "write_bytes", "1, 2 or a path");
  }
  const unsigned char *at = RAW(bytes);
  size_t left = (size_t)XLENGTH(bytes);
  int failed = 0;
  /* A reader that went away is told by the result, not by R's own handler, which makes it an error. */
  struct sigaction ignored = { 0 }, before;
  ignored.sa_handler = SIG_IGN;
  sigemptyset(&ignored.sa_mask);
  sigaction(SIGPIPE, &ignored, &before);
  while (left > 0 && !failed) {
    ssize_t done = write(number, at, left < 1048576 ? left : 1048576);
    if (done >= 0) {
      at += done;
      left -= (size_t)done;
    } else if (errno == EAGAIN) usleep(1000);
    else if (errno != EINTR) failed = errno;
  }
  sigaction(SIGPIPE, &before, NULL);
  if (opened && close(number) != 0 && !failed) failed = errno;
  return mkString(!failed ? "" : failed == EPIPE ? "closed" : strerror(failed));
}
