/* Cells of a plain export: quotes only around whole cells, whole counts, numbers with a point, days
   as 2026-03-31. Each reader gives 0 where a cell is not plain. */
#ifndef INKTIDE_PLAIN_CELLS_H
#define INKTIDE_PLAIN_CELLS_H
#include <stdint.h>
#include <string.h>

/* Whole numbers of up to nine digits. */
static inline int read_count(const char *text, const char *end, int *out) {
  if (text == end || end - text > 9) return 0;
  int value = 0;
  for (; text < end; text++) {
    if (*text < '0' || *text > '9') return 0;
    value = 10 * value + (*text - '0');
  }
  *out = value;
  return 1;
}

/* Digits, up to 15, with a point and digits behind it or without. */
static inline int read_number(const char *text, const char *end, double *out, int *whole) {
  static const long double tenths[] = { 1e0L, 1e-1L, 1e-2L, 1e-3L, 1e-4L, 1e-5L, 1e-6L, 1e-7L,
    1e-8L, 1e-9L, 1e-10L, 1e-11L, 1e-12L, 1e-13L, 1e-14L, 1e-15L };
  if (text == end || end - text > 16) return 0;
  uint64_t value = 0;
  const char *point = NULL;
  for (const char *at = text; at < end; at++) {
    if (*at == '.' && point == NULL && at > text && at + 1 < end) point = at;
    else if (*at >= '0' && *at <= '9') value = 10 * value + (uint64_t)(*at - '0');
    else return 0;
  }
  if (point == NULL && end - text > 9) return 0;
  if (point != NULL) *whole = 0;
  *out = (double)((long double)value * tenths[point == NULL ? 0 : end - point - 1]);
  return 1;
}

/* As days since 1970. */
static inline int read_day(const char *text, const char *end, int *out) {
  static const int lengths[] = { 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31 };
  if (end - text != 10 || text[4] != '-' || text[7] != '-') return 0;
  int year, month, day;
  if (!read_count(text, text + 4, &year) || !read_count(text + 5, text + 7, &month) ||
    !read_count(text + 8, text + 10, &day) || year < 1970 || month < 1 || month > 12 || day < 1)
    return 0;
  int leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  if (day > lengths[month - 1] + (leap && month == 2)) return 0;
  /* Years begin in March, so that the leap day is the last. */
  int y = year - (month < 3), m = (month + 9) % 12;
  *out = 365 * y + y / 4 - y / 100 + y / 400 + (153 * m + 2) / 5 + day - 1 - 719468;
  return 1;
}

/* One cell from `at` on, without its quotes; `at` is left on the separator, the line's end or the
 * file's. */
static inline int next_cell(
  const char **at, const char *end, char sep, const char **from, const char **to, int *quoted) {
  const char *now = *at;
  *quoted = now < end && *now == '"';
  if (*quoted) {
    *from = now + 1;
    *to = memchr(*from, '"', (size_t)(end - *from));
    if (*to == NULL) return 0;
    now = *to + 1;
    if (now < end && *now == '\r') now++;
    if (now < end && *now != sep && *now != '\n') return 0;
  } else {
    *from = now;
    while (now < end && *now != sep && *now != '\n') now++;
    *to = now;
    if (now > *from && now[-1] == '\r' && (now == end || *now == '\n')) (*to)--;
  }
  *at = now;
  return 1;
}

/* Blanks at an end would be taken off, and a quote inside means something. */
static inline int plain_text(const char *from, const char *to) {
  return from == to ||
    (*from != ' ' && *from != '\t' && to[-1] != ' ' && to[-1] != '\t' &&
      memchr(from, '"', (size_t)(to - from)) == NULL);
}

#endif
