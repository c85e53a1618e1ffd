/* The plain export read in one walk: texts become codes of a dictionary as they pass, so that no text is made for each
   row; counts, positions and dates become numbers. Whatever is not plain is left to the general reader: the walk stops at
   the first cell that it does not understand. Blocks are shared out among threads, each with dictionaries of its own, which
   become one at the end, in order of appearance; threads touch nothing of R's. */
#include <fcntl.h>
#include <pthread.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include "checks.h"

enum { kind_text = 0, kind_count = 1, kind_number = 2, kind_day = 3 };
enum { most_digits = 15, most_threads = 16, block_size = 1 << 25, longest_text = 1 << 24 };

/* Texts found by an open table of their hashes; their bytes lie one behind the other. */
typedef struct { uint32_t length; int row; size_t at; } Entry;
typedef struct { uint32_t hash, code; } Slot;
typedef struct {
  Slot *slots;
  uint32_t mask;
  Entry *entries;
  int many, room;
  char *bytes;
  size_t used, held;
} Dictionary;

static void drop_dictionary(Dictionary *of) {
  free(of->slots);
  free(of->entries);
  free(of->bytes);
  memset(of, 0, sizeof(Dictionary));
}

static uint32_t hash_of(const char *text, uint32_t length) {
  uint64_t h = 0x9E3779B97F4A7C15u ^ length, part;
  while (length >= 8) {
    memcpy(&part, text, 8);
    h = (h ^ part) * 0xBF58476D1CE4E5B9u;
    h ^= h >> 29;
    text += 8;
    length -= 8;
  }
  part = 0;
  memcpy(&part, text, length);
  h = (h ^ part) * 0x94D049BB133111EBu;
  return (uint32_t) (h ^ (h >> 32));
}

static int grow(void **at, size_t room, size_t size) {
  void *larger = realloc(*at, room * size);
  if (larger == NULL) return 0;
  *at = larger;
  return 1;
}

/* Half full at most. */
static int make_room(Dictionary *of, uint32_t length) {
  if (of->slots == NULL || (uint32_t) of->many * 2 > of->mask) {
    uint32_t mask = of->slots == NULL ? (1 << 12) - 1 : 2 * of->mask + 1;
    Slot *slots = calloc((size_t) mask + 1, sizeof(Slot));
    if (slots == NULL) return 0;
    for (size_t i = 0; of->slots != NULL && i <= of->mask; i++) {
      if (!of->slots[i].code) continue;
      uint32_t at = of->slots[i].hash & mask;
      while (slots[at].code) at = (at + 1) & mask;
      slots[at] = of->slots[i];
    }
    free(of->slots);
    of->slots = slots;
    of->mask = mask;
  }
  if (of->many == of->room) {
    int room = of->room ? 2 * of->room : 1024;
    if (!grow((void **) &of->entries, room, sizeof(Entry))) return 0;
    of->room = room;
  }
  if (of->used + length > of->held) {
    size_t held = 2 * of->held + length + (1 << 16);
    if (!grow((void **) &of->bytes, held, 1)) return 0;
    of->held = held;
  }
  return 1;
}

static int same_text(const Dictionary *of, uint32_t code, const char *text, uint32_t length) {
  const Entry *entry = &of->entries[code - 1];
  return entry->length == length && !memcmp(of->bytes + entry->at, text, length);
}

/* Its code from 1; 0 where there is no memory left. */
static int code_of(Dictionary *of, const char *text, uint32_t length, uint32_t hash, int row) {
  if (of->slots == NULL && !make_room(of, length)) return 0;
  uint32_t at = hash & of->mask;
  for (; of->slots[at].code; at = (at + 1) & of->mask) {
    if (of->slots[at].hash == hash && same_text(of, of->slots[at].code, text, length)) return (int) of->slots[at].code;
  }
  if (!make_room(of, length)) return 0;
  /* The table may be another now. */
  for (at = hash & of->mask; of->slots[at].code; at = (at + 1) & of->mask);
  if (length) memcpy(of->bytes + of->used, text, length);
  of->entries[of->many] = (Entry) { length, row, of->used };
  of->used += length;
  of->slots[at] = (Slot) { hash, (uint32_t) ++of->many };
  return of->many;
}

/* Whole numbers of up to nine digits. */
static int read_count(const char *text, const char *end, int *out) {
  if (text == end || end - text > 9) return 0;
  int value = 0;
  for (; text < end; text++) {
    if (*text < '0' || *text > '9') return 0;
    value = 10 * value + (*text - '0');
  }
  *out = value;
  return 1;
}

/* Digits, with a point and digits behind it or without. */
static int read_number(const char *text, const char *end, double *out, int *whole) {
  static const long double tenths[] = { 1e0L, 1e-1L, 1e-2L, 1e-3L, 1e-4L, 1e-5L, 1e-6L, 1e-7L, 1e-8L, 1e-9L, 1e-10L, 1e-11L,
    1e-12L, 1e-13L, 1e-14L, 1e-15L };
  if (text == end || end - text > most_digits + 1) return 0;
  uint64_t value = 0;
  const char *point = NULL;
  for (const char *at = text; at < end; at++) {
    if (*at == '.' && point == NULL && at > text && at + 1 < end) point = at;
    else if (*at >= '0' && *at <= '9') value = 10 * value + (uint64_t) (*at - '0');
    else return 0;
  }
  if (point == NULL && end - text > 9) return 0;
  if (point != NULL) *whole = 0;
  *out = (double) ((long double) value * tenths[point == NULL ? 0 : end - point - 1]);
  return 1;
}

/* 2026-03-31 as days since 1970. */
static int read_day(const char *text, const char *end, int *out) {
  static const int lengths[] = { 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31 };
  if (end - text != 10 || text[4] != '-' || text[7] != '-') return 0;
  int year, month, day;
  if (!read_count(text, text + 4, &year) || !read_count(text + 5, text + 7, &month) ||
      !read_count(text + 8, text + 10, &day) || year < 1970 || month < 1 || month > 12 || day < 1) return 0;
  int leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  if (day > lengths[month - 1] + (leap && month == 2)) return 0;
  /* Years begin in March, so that the leap day is the last. */
  int y = year - (month < 3), m = (month + 9) % 12;
  *out = 365 * y + y / 4 - y / 100 + y / 400 + (153 * m + 2) / 5 + day - 1 - 719468;
  return 1;
}

/* One cell from `at` on, without its quotes; `at` is left on the separator, the line's end or the file's. 0 where quotes are
   not plain. */
static int next_cell(const char **at, const char *end, char sep, const char **from, const char **to, int *quoted) {
  const char *now = *at;
  *quoted = now < end && *now == '"';
  if (*quoted) {
    *from = now + 1;
    *to = memchr(*from, '"', (size_t) (end - *from));
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

/* What a column becomes, and what all threads share. */
typedef struct { int kind, *codes; double *numbers; } Column;
typedef struct {
  int many, last, records, *becomes;
  Column *columns;
  char sep;
} Table;

/* Texts whose codes are looked up together: what a look-up needs is fetched for all of them before it is read, since most
   of its time is waiting for memory. */
enum { batch = 64 };
typedef struct {
  int many;
  struct { const char *text; uint32_t length, hash, code; int row; } of[batch];
} Waiting;

static int settle_waiting(Dictionary *dictionary, Waiting *waiting, int *codes) {
  if (dictionary->slots != NULL) {
    for (int i = 0; i < waiting->many; i++) {
      waiting->of[i].code = dictionary->slots[waiting->of[i].hash & dictionary->mask].code;
      if (waiting->of[i].code) __builtin_prefetch(&dictionary->entries[waiting->of[i].code - 1]);
    }
    for (int i = 0; i < waiting->many; i++) {
      if (waiting->of[i].code) __builtin_prefetch(dictionary->bytes + dictionary->entries[waiting->of[i].code - 1].at);
    }
  }
  int fine = 1;
  for (int i = 0; i < waiting->many; i++) {
    codes[waiting->of[i].row] =
      code_of(dictionary, waiting->of[i].text, waiting->of[i].length, waiting->of[i].hash, waiting->of[i].row);
    fine &= codes[waiting->of[i].row] > 0;
  }
  waiting->many = 0;
  return fine;
}

static int put_text(Dictionary *dictionary, Waiting *waiting, int *codes, const char *text, uint32_t length, int row) {
  uint32_t hash = hash_of(text, length);
  int i = waiting->many++;
  waiting->of[i].text = text;
  waiting->of[i].length = length;
  waiting->of[i].hash = hash;
  waiting->of[i].row = row;
  if (dictionary->slots != NULL) __builtin_prefetch(&dictionary->slots[hash & dictionary->mask]);
  return waiting->many < batch || settle_waiting(dictionary, waiting, codes);
}

/* A share of a block: whole lines from `at` to `end`, the first of them being `row`. */
typedef struct {
  const Table *table;
  const char *at, *end;
  int row, lines, plain, *whole;
  Dictionary *texts;
  Waiting *waiting;
} Share;

static void *count_lines(void *data) {
  Share *of = data;
  of->lines = 0;
  for (const char *at = of->at; at < of->end; of->lines++) {
    at = memchr(at, '\n', (size_t) (of->end - at));
    if (at == NULL) at = of->end;
    else at++;
  }
  return NULL;
}

static int put_cell(Share *of, int own, int row, const char *from, const char *to, int quoted) {
  const Column *column = &of->table->columns[own];
  size_t length = (size_t) (to - from);
  switch (column->kind) {
    case kind_count: return read_count(from, to, &column->codes[row]);
    case kind_number: return read_number(from, to, &column->numbers[row], &of->whole[own]);
    case kind_day: return read_day(from, to, &column->codes[row]);
  }
  if (length > longest_text) return 0;
  if (!quoted && length && (*from == ' ' || *from == '\t' || to[-1] == ' ' || to[-1] == '\t' ||
      memchr(from, '"', length) != NULL)) return 0;
  return put_text(&of->texts[own], &of->waiting[own], column->codes, from, (uint32_t) length, row);
}

static void *read_share(void *data) {
  Share *of = data;
  const Table *table = of->table;
  of->plain = of->row + of->lines <= table->records;
  for (int row = of->row; of->plain && of->at < of->end; row++) {
    for (int j = 0;; j++) {
      const char *from, *to;
      int quoted;
      of->plain = row < table->records && next_cell(&of->at, of->end, table->sep, &from, &to, &quoted);
      if (!of->plain) break;
      int own = j < table->last ? table->becomes[j] : -1;
      if (own >= 0) of->plain = put_cell(of, own, row, from, to, quoted);
      int over = of->at == of->end || *of->at == '\n';
      if (of->at < of->end) of->at++;
      if (over && j + 1 < table->last) of->plain = 0;
      if (over || !of->plain) break;
    }
  }
  for (int j = 0; j < table->many && of->plain; j++) {
    if (table->columns[j].kind == kind_text) {
      of->plain = settle_waiting(&of->texts[j], &of->waiting[j], table->columns[j].codes);
    }
  }
  return NULL;
}

typedef struct {
  char *start;
  size_t size;
  int file, threads, many;
  SEXP path, columns, kinds;
  int skip, records;
  char sep;
  Dictionary *texts;
} Walk;

static void close_walk(void *data) {
  Walk *walk = data;
  if (walk->start != NULL) munmap(walk->start, walk->size);
  if (walk->file >= 0) close(walk->file);
  for (int i = 0; i < walk->threads * walk->many; i++) drop_dictionary(&walk->texts[i]);
}

static int map_file(Walk *walk) {
  struct stat facts;
  walk->file = open(CHAR(STRING_ELT(walk->path, 0)), O_RDONLY);
  if (walk->file < 0 || fstat(walk->file, &facts) || facts.st_size == 0 || !S_ISREG(facts.st_mode)) return 0;
  walk->size = (size_t) facts.st_size;
  void *start = mmap(NULL, walk->size, PROT_READ, MAP_PRIVATE, walk->file, 0);
  if (start == MAP_FAILED) return 0;
  walk->start = start;
  madvise(start, walk->size, MADV_SEQUENTIAL);
  return 1;
}

static void in_threads(void *(*work)(void *), Share *shares, int many) {
  pthread_t thread[most_threads];
  int made[most_threads] = { 0 };
  for (int i = 1; i < many; i++) made[i] = !pthread_create(&thread[i], NULL, work, &shares[i]);
  work(&shares[0]);
  for (int i = 1; i < many; i++) {
    if (made[i]) pthread_join(thread[i], NULL);
    else work(&shares[i]);
  }
}

/* All dictionaries of one column as one, in order of appearance; codes become those of it. */
static int by_row(const void *one, const void *other) {
  const int *a = one, *b = other;
  return (*a > *b) - (*a < *b);
}

static SEXP one_dictionary(Walk *walk, int column, int *codes, const int *owner_end, int blocks) {
  Dictionary *first = &walk->texts[column];
  int total = 0, most = 0;
  for (int t = 0; t < walk->threads; t++) total += walk->texts[t * walk->many + column].many;
  int **map = (int **) R_alloc(walk->threads, sizeof(int *));
  map[0] = NULL;
  for (int t = 1; t < walk->threads; t++) {
    const Dictionary *own = &walk->texts[t * walk->many + column];
    map[t] = (int *) R_alloc(own->many + 1, sizeof(int));
    for (int i = 0; i < own->many; i++) {
      const Entry *entry = &own->entries[i];
      const char *text = own->bytes + entry->at;
      int code = code_of(first, text, entry->length, hash_of(text, entry->length), entry->row);
      if (!code) return R_NilValue;
      if (first->entries[code - 1].row > entry->row) first->entries[code - 1].row = entry->row;
      map[t][i + 1] = code;
    }
  }
  most = first->many;
  /* Their places in order of appearance: pairs of row and code. */
  int *order = (int *) R_alloc(2 * (size_t) most + 1, sizeof(int)), *place = (int *) R_alloc(most + 1, sizeof(int));
  for (int i = 0; i < most; i++) {
    order[2 * i] = first->entries[i].row;
    order[2 * i + 1] = i + 1;
  }
  qsort(order, most, 2 * sizeof(int), by_row);
  SEXP levels = PROTECT(allocVector(STRSXP, most));
  for (int i = 0; i < most; i++) {
    const Entry *entry = &first->entries[order[2 * i + 1] - 1];
    place[order[2 * i + 1]] = i + 1;
    SET_STRING_ELT(levels, i, mkCharLenCE(first->bytes + entry->at, (int) entry->length, CE_UTF8));
  }
  for (int b = 0, row = 0; b < blocks; b++) {
    const int *own = map[b % walk->threads];
    for (; row < owner_end[b]; row++) codes[row] = place[own == NULL ? codes[row] : own[codes[row]]];
  }
  UNPROTECT(1);
  return levels;
}

static SEXP walk_plain(void *data) {
  Walk *walk = data;
  int many = walk->many, last = 0;
  if (!map_file(walk)) return R_NilValue;
  const char *at = walk->start, *end = at + walk->size;
  for (int i = 0; i < walk->skip; i++) {
    at = memchr(at, '\n', (size_t) (end - at));
    if (at++ == NULL) return R_NilValue;
  }
  for (int j = 0; j < many; j++) if (INTEGER(walk->columns)[j] > last) last = INTEGER(walk->columns)[j];
  Table table = { many, last, walk->records, (int *) R_alloc(last, sizeof(int)),
    (Column *) R_alloc(many, sizeof(Column)), walk->sep };
  for (int j = 0; j < last; j++) table.becomes[j] = -1;
  SEXP out = PROTECT(allocVector(VECSXP, many));
  for (int j = 0; j < many; j++) {
    int kind = INTEGER(walk->kinds)[j];
    table.becomes[INTEGER(walk->columns)[j] - 1] = j;
    SEXP column = allocVector(kind == kind_number ? REALSXP : INTSXP, walk->records);
    SET_VECTOR_ELT(out, j, column);
    table.columns[j] = (Column) { kind, kind == kind_number ? NULL : INTEGER(column),
      kind == kind_number ? REAL(column) : NULL };
  }
  Share shares[most_threads];
  Waiting *waiting = (Waiting *) R_alloc((size_t) walk->threads * many, sizeof(Waiting));
  for (int i = 0; i < walk->threads * many; i++) waiting[i].many = 0;
  int *whole = (int *) R_alloc((size_t) walk->threads * many, sizeof(int));
  for (int i = 0; i < walk->threads * many; i++) whole[i] = 1;
  size_t most_blocks = (walk->size / block_size + 2) * walk->threads;
  int *owner_end = (int *) R_alloc(most_blocks, sizeof(int)), blocks = 0, row = 0;
  while (at < end) {
    R_CheckUserInterrupt();
    const char *begin = at;
    for (int t = 0; t < walk->threads; t++) {
      const char *stop = (size_t) (end - at) > block_size ? memchr(at + block_size, '\n', (size_t) (end - at - block_size)) : NULL;
      stop = stop == NULL ? end : stop + 1;
      shares[t] = (Share) { &table, at, stop, 0, 0, 1, whole + t * many, walk->texts + t * many,
        waiting + t * many };
      at = stop;
    }
    in_threads(count_lines, shares, walk->threads);
    for (int t = 0; t < walk->threads; t++) {
      shares[t].row = row;
      row += shares[t].lines;
      owner_end[blocks++] = row;
    }
    in_threads(read_share, shares, walk->threads);
    for (int t = 0; t < walk->threads; t++) {
      if (!shares[t].plain) {
        UNPROTECT(1);
        return R_NilValue;
      }
    }
    /* What was read need not stay in memory. */
    size_t page = (size_t) sysconf(_SC_PAGESIZE), from = (size_t) (begin - walk->start) / page * page;
    madvise(walk->start + from, (size_t) (at - walk->start) / page * page - from, MADV_DONTNEED);
  }
  SEXP levels = R_NilValue;
  if (row == walk->records) levels = out;
  for (int j = 0; j < many && levels != R_NilValue; j++) {
    if (table.columns[j].kind == kind_text) {
      levels = one_dictionary(walk, j, table.columns[j].codes, owner_end, blocks);
      setAttrib(VECTOR_ELT(out, j), install("levels"), levels);
    } else if (table.columns[j].kind == kind_number) {
      int all_whole = 1;
      for (int t = 0; t < walk->threads; t++) all_whole &= whole[t * many + j];
      if (!all_whole) continue;
      SEXP counts = allocVector(INTSXP, walk->records);
      for (int i = 0; i < walk->records; i++) INTEGER(counts)[i] = (int) table.columns[j].numbers[i];
      SET_VECTOR_ELT(out, j, counts);
    }
  }
  UNPROTECT(1);
  return levels == R_NilValue ? R_NilValue : out;
}

/* In: a path, lines to skip, the separator, which columns are wanted, in what place and of which kind (0 text, 1 count,
   2 number, 3 day), how many records there are, and threads. Out: a list of columns, texts as codes with `levels`; NULL where
   any cell is not plain. */
SEXP read_plain(SEXP path, SEXP skip, SEXP sep, SEXP columns, SEXP kinds, SEXP records, SEXP threads) {
  need_text(path, "read_plain", "a path");
  const char *between = need_text(sep, "read_plain", "a separator of one byte");
  need(strlen(between) == 1, "read_plain", "a separator of one byte");
  need(TYPEOF(columns) == INTSXP && TYPEOF(kinds) == INTSXP && LENGTH(columns) > 0 && LENGTH(columns) == LENGTH(kinds),
    "read_plain", "columns and their kinds");
  for (int j = 0; j < LENGTH(columns); j++) need(INTEGER(columns)[j] > 0, "read_plain", "columns from 1");
  int of = need_count(threads, 1, "read_plain", "how many threads");
  Walk walk = { NULL, 0, -1, of > most_threads ? most_threads : of, LENGTH(columns), path, columns, kinds,
    need_count(skip, 0, "read_plain", "lines to skip"), need_count(records, 0, "read_plain", "records"), *between, NULL };
  size_t size = (size_t) walk.threads * walk.many * sizeof(Dictionary);
  walk.texts = (Dictionary *) R_alloc(1, (int) size);
  memset(walk.texts, 0, size);
  return R_ExecWithCleanup(walk_plain, &walk, close_walk, &walk);
}
