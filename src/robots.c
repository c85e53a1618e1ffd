/* Which addresses the rules of a robots.txt forbid (RFC 9309, 2.2). */
#include <string.h>
#include "checks.h"

/* A star stands for anything, a dollar at the end for the end; what no star or dollar ends goes on.
   After a mismatch only the last star takes more, so that no pattern takes long. */
static int rule_matches(const char *rule, size_t n, const char *path, size_t m) {
  int ends = n && rule[n - 1] == '$';
  if (ends) {
    n--;
    size_t last = 0;
    while (last < n && rule[n - 1 - last] != '*') last++;
    /* What stands after the last star is where most of them fail. */
    if (last > m || memcmp(rule + n - last, path + m - last, last)) return 0;
  }
  size_t i = 0, j = 0, star = n, mark = 0;
  while (j < m) {
    if (i < n && rule[i] == '*') {
      star = i++;
      mark = j;
    } else if (i < n && rule[i] == path[j]) {
      i++;
      j++;
    } else if (i == n && !ends) {
      return 1;
    } else if (star < n) {
      i = star + 1;
      j = ++mark;
    } else {
      return 0;
    }
  }
  while (i < n && rule[i] == '*') i++;
  return i == n;
}

/* In: rules as patterns, whether each allows, paths; ASCII all. Out: whether each path is allowed:
   the longest rule that matches decides, of two as long the one that allows. */
SEXP robots_verdicts(SEXP rules, SEXP allows, SEXP paths) {
  need(TYPEOF(rules) == STRSXP && TYPEOF(paths) == STRSXP, "robots_verdicts", "texts");
  need(TYPEOF(allows) == LGLSXP && XLENGTH(allows) == XLENGTH(rules), "robots_verdicts",
    "a logical for each rule");
  R_xlen_t many = XLENGTH(rules), rows = XLENGTH(paths);
  SEXP out = PROTECT(allocVector(LGLSXP, rows));
  for (R_xlen_t i = 0; i < rows; i++) {
    pause_at(i);
    const char *path = CHAR(STRING_ELT(paths, i));
    size_t length = strlen(path);
    long best = -1;
    int allowed = 1;
    for (R_xlen_t k = 0; k < many; k++) {
      long size = (long)LENGTH(STRING_ELT(rules, k));
      if (size < best || (size == best && (allowed || !LOGICAL(allows)[k]))) continue;
      if (!rule_matches(CHAR(STRING_ELT(rules, k)), (size_t)size, path, length)) continue;
      best = size;
      allowed = LOGICAL(allows)[k];
    }
    LOGICAL(out)[i] = allowed;
  }
  UNPROTECT(1);
  return out;
}
