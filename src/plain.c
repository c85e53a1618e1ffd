/* The plain export in one walk: texts become codes of a dictionary as they pass, so that no text is made for each row; counts,
   positions and dates become numbers, rows are told apart by all of their cells but the figures. Whatever is not plain is left
   to the general reader: the walk stops at the first cell that it does not understand. Shares of the file are dealt out to
   threads, each with dictionaries of its own, which become one at the end, in order of appearance; threads touch nothing of
   R's. The rows of each share are a block, kept in memory or put into a file. */
#include <fcntl.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include "checks.h"
#include "keys.h"
#include "plain-cells.h"
#include "scatter.h"
#include "texts.h"
#include "utf8.h"

enum { kind_text = 0, kind_count = 1, kind_number = 2, kind_day = 3 };
enum { most_threads = 16, share_size = 1 << 24, longest_text = 1 << 24 };
/* The days that exports may tell of: 2000-01-01 to 2099-12-31. */
enum { first_day = 10957, last_day = 47481 };

/* What is asked for. becomes: of each cell of a line, which wanted column it is, or -1; telling: whether it tells rows apart. */
typedef struct {
  const char *path, *rows_path, *keys_path;
  int skip, cells, many, threads, above;
  char sep;
  const int *kinds;
  int *becomes, *telling, clicks, impressions, day;
} Wish;

/* Rows of one share: numbers first, then whole numbers, column by column, n of each. */
typedef struct { int thread, rows; size_t at; char *bytes; } Block;
typedef struct { double rows, clicks, impressions; } Sum;

typedef struct {
  Wish wish;
  char *start;
  size_t size, row_size, *column_at;
  int file, rows_file;
  size_t end;
  Dictionary *texts;
  Waiting *waiting;
  int *whole;
  Keys keys;
  KeyHand *hands[most_threads];
  Sum *days[most_threads], left[most_threads][2];
  Block *blocks;
  int many_blocks, room;
} Coder;

/* A share of the file: whole lines from `at` to `end`. */
typedef struct {
  Coder *coder;
  const char *at, *end;
  int thread, rows, fine;
  uint64_t number;
  size_t place;
  char *bytes;
} Share;

static int *ints_of(const Coder *coder, char *bytes, int column, int rows) {
  return (int *) (bytes + coder->column_at[column] * (size_t) rows);
}

static double *numbers_of(const Coder *coder, char *bytes, int column, int rows) {
  return (double *) (bytes + coder->column_at[column] * (size_t) rows);
}

static void *count_lines(void *data) {
  Share *of = data;
  of->rows = 0;
  for (const char *at = of->at; at < of->end; of->rows++) {
    at = memchr(at, '\n', (size_t) (of->end - at));
    if (at == NULL) at = of->end;
    else at++;
  }
  return NULL;
}

static uint64_t mixed(uint64_t key, uint64_t with, int cell) { return scatter(key ^ (with + (uint64_t) cell)); }

static int put_cell(Share *of, int cell, int row, const char *from, const char *to, int quoted, uint64_t *key) {
  Coder *coder = of->coder;
  const Wish *wish = &coder->wish;
  int own = wish->becomes[cell];
  size_t length = (size_t) (to - from);
  if (own < 0 || wish->kinds[own] == kind_text) {
    if (length > longest_text) return 0;
    if (own >= 0 || wish->telling[cell]) {
      if (!quoted && !plain_text(from, to)) return 0;
      uint64_t hash = text_hash(from, (uint32_t) length);
      if (wish->telling[cell]) *key = mixed(*key, hash, cell);
      if (own >= 0) {
        int at = of->thread * wish->many + own;
        return text_waits(&coder->texts[at], &coder->waiting[at], ints_of(coder, of->bytes, own, of->rows), of->number, from,
          (uint32_t) length, hash, row);
      }
    }
    return is_utf8(from, to);
  }
  if (wish->kinds[own] == kind_number) {
    double *value = numbers_of(coder, of->bytes, own, of->rows) + row;
    /* Rows that go into a file are not looked at again: no position is below 1. */
    return read_number(from, to, value, &coder->whole[of->thread * wish->many + own]) &&
      (coder->rows_file < 0 || *value >= 1);
  }
  int *value = ints_of(coder, of->bytes, own, of->rows) + row;
  if (wish->kinds[own] == kind_count) return read_count(from, to, value);
  if (!read_day(from, to, value) || *value < first_day || *value > last_day) return 0;
  *key = mixed(*key, (uint64_t) *value, cell);
  return 1;
}

/* Sums by day of the rows that count, and of those that do not. */
static void sum_row(const Share *of, int row) {
  Coder *coder = of->coder;
  const Wish *wish = &coder->wish;
  int clicks = ints_of(coder, of->bytes, wish->clicks, of->rows)[row];
  int impressions = ints_of(coder, of->bytes, wish->impressions, of->rows)[row];
  int day = ints_of(coder, of->bytes, wish->day, of->rows)[row];
  Sum *sum = impressions == 0 ? &coder->left[of->thread][0] : clicks > impressions && !wish->above ?
    &coder->left[of->thread][1] : &coder->days[of->thread][day - first_day];
  sum->rows += 1;
  sum->clicks += clicks;
  sum->impressions += impressions;
}

static int read_line(Share *of, int row) {
  const Wish *wish = &of->coder->wish;
  uint64_t key = 0;
  for (int cell = 0; cell < wish->cells; cell++) {
    const char *from, *to;
    int quoted;
    if (!next_cell(&of->at, of->end, wish->sep, &from, &to, &quoted) || !put_cell(of, cell, row, from, to, quoted, &key)) return 0;
    int over = of->at == of->end || *of->at == '\n';
    if (of->at < of->end) of->at++;
    if (over != (cell + 1 == wish->cells)) return 0;
  }
  put_key(&of->coder->keys, of->coder->hands[of->thread], wish->keys_path, key);
  if (of->coder->days[of->thread] != NULL) sum_row(of, row);
  return 1;
}

static void *read_share(void *data) {
  Share *of = data;
  Coder *coder = of->coder;
  const Wish *wish = &coder->wish;
  if (!of->rows) return NULL;
  size_t size = coder->row_size * (size_t) of->rows;
  of->bytes = malloc(size);
  of->fine = of->bytes != NULL;
  for (int row = 0; of->fine && row < of->rows; row++) of->fine = of->at < of->end && read_line(of, row);
  of->fine = of->fine && of->at == of->end;
  for (int j = 0; j < wish->many && of->fine; j++) {
    int at = of->thread * wish->many + j;
    if (wish->kinds[j] == kind_text) {
      of->fine = settle_texts(&coder->texts[at], &coder->waiting[at], ints_of(coder, of->bytes, j, of->rows), of->number);
    }
  }
  if (!of->fine || coder->rows_file < 0) return NULL;
  for (size_t done = 0; done < size && of->fine;) {
    ssize_t wrote = pwrite(coder->rows_file, of->bytes + done, size - done, (off_t) (of->place + done));
    if (wrote <= 0) of->fine = 0;
    else done += (size_t) wrote;
  }
  free(of->bytes);
  of->bytes = NULL;
  return NULL;
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

static void close_coder(void *data) {
  Coder *coder = data;
  if (coder->start != NULL) munmap(coder->start, coder->size);
  if (coder->file >= 0) close(coder->file);
  if (coder->rows_file >= 0) close(coder->rows_file);
  for (int t = 0; t < coder->wish.threads; t++) {
    for (int j = 0; j < coder->wish.many; j++) drop_dictionary(&coder->texts[t * coder->wish.many + j]);
    free(coder->hands[t]);
    free(coder->days[t]);
  }
  for (int b = 0; b < coder->many_blocks; b++) free(coder->blocks[b].bytes);
  free(coder->blocks);
  close_keys(&coder->keys);
}

static int map_file(Coder *coder) {
  struct stat facts;
  coder->file = open(coder->wish.path, O_RDONLY);
  if (coder->file < 0 || fstat(coder->file, &facts) || facts.st_size == 0 || !S_ISREG(facts.st_mode)) return 0;
  coder->size = (size_t) facts.st_size;
  void *start = mmap(NULL, coder->size, PROT_READ, MAP_PRIVATE, coder->file, 0);
  if (start == MAP_FAILED) return 0;
  coder->start = start;
  madvise(start, coder->size, MADV_SEQUENTIAL);
  return 1;
}

/* What threads have of their own. */
static int prepare(Coder *coder) {
  const Wish *wish = &coder->wish;
  for (int t = 0; t < wish->threads; t++) {
    coder->hands[t] = calloc(1, sizeof(KeyHand));
    if (coder->hands[t] == NULL) return 0;
    if (*wish->rows_path == 0) continue;
    coder->days[t] = calloc(last_day - first_day + 1, sizeof(Sum));
    if (coder->days[t] == NULL) return 0;
  }
  if (*wish->rows_path) {
    coder->rows_file = open(wish->rows_path, O_WRONLY | O_CREAT | O_EXCL, 0600);
    if (coder->rows_file < 0) return 0;
  }
  return 1;
}

static int keep_block(Coder *coder, Share *share) {
  if (coder->many_blocks == coder->room) {
    int room = coder->room ? 2 * coder->room : 64;
    Block *larger = realloc(coder->blocks, (size_t) room * sizeof(Block));
    if (larger == NULL) return 0;
    coder->blocks = larger;
    coder->room = room;
  }
  coder->blocks[coder->many_blocks++] = (Block) { share->thread, share->rows, share->place, share->bytes };
  share->bytes = NULL;
  return 1;
}

/* All shares in turn, so many at once as there are threads. */
static int code_shares(Coder *coder) {
  const Wish *wish = &coder->wish;
  const char *at = coder->start, *end = at + coder->size;
  for (int i = 0; i < wish->skip; i++) {
    at = memchr(at, '\n', (size_t) (end - at));
    if (at++ == NULL) return 0;
  }
  Share shares[most_threads];
  for (uint64_t number = 0; at < end;) {
    R_CheckUserInterrupt();
    const char *begin = at;
    for (int t = 0; t < wish->threads; t++) {
      /* A small file is dealt out, too. */
      size_t left = (size_t) (end - at), part = left / (size_t) (wish->threads - t) + 1;
      if (part > share_size) part = share_size;
      const char *stop = left > part ? memchr(at + part, '\n', left - part) : NULL;
      stop = stop == NULL ? end : stop + 1;
      shares[t] = (Share) { coder, at, stop, t, 0, 1, number++, 0, NULL };
      at = stop;
    }
    in_threads(count_lines, shares, wish->threads);
    for (int t = 0; t < wish->threads; t++) {
      shares[t].place = coder->end;
      coder->end += coder->row_size * (size_t) shares[t].rows;
    }
    in_threads(read_share, shares, wish->threads);
    int fine = 1;
    for (int t = 0; t < wish->threads; t++) {
      fine &= shares[t].fine;
      if (shares[t].rows && !keep_block(coder, &shares[t])) fine = 0;
    }
    if (!fine) return 0;
    /* What was read need not stay in memory. */
    size_t page = (size_t) sysconf(_SC_PAGESIZE), from = (size_t) (begin - coder->start) / page * page;
    madvise(coder->start + from, (size_t) (at - coder->start) / page * page - from, MADV_DONTNEED);
  }
  return coder->many_blocks > 0;
}

/* All dictionaries of one column as one, in order of appearance. Out: list(levels, codes of those for each thread's). */
typedef struct { uint64_t place; int code; } Appearance;

static int by_place(const void *one, const void *other) {
  const Appearance *a = one, *b = other;
  return (a->place > b->place) - (a->place < b->place);
}

static SEXP one_dictionary(Coder *coder, int column) {
  int many = coder->wish.many, threads = coder->wish.threads;
  Dictionary *first = &coder->texts[column];
  const char *names[] = { "levels", "codes", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names)), maps = allocVector(VECSXP, threads);
  SET_VECTOR_ELT(out, 1, maps);
  for (int t = 0; t < threads; t++) {
    Dictionary *own = &coder->texts[t * many + column];
    SEXP map = allocVector(INTSXP, own->many);
    SET_VECTOR_ELT(maps, t, map);
    for (int i = 0; i < own->many; i++) {
      int code = i + 1;
      if (t > 0) {
        const Entry *entry = &own->entries[i];
        const char *text = own->bytes + entry->at;
        code = text_code(first, text, entry->length, text_hash(text, entry->length), entry->place);
        if (!code) error("there is no memory left");
        if (first->entries[code - 1].place > entry->place) first->entries[code - 1].place = entry->place;
      }
      INTEGER(map)[i] = code;
    }
    if (t > 0) drop_dictionary(own);
  }
  int most = first->many;
  Appearance *order = (Appearance *) R_alloc((size_t) most + 1, sizeof(Appearance));
  int *rank = (int *) R_alloc((size_t) most + 1, sizeof(int));
  for (int i = 0; i < most; i++) order[i] = (Appearance) { first->entries[i].place, i + 1 };
  qsort(order, (size_t) most, sizeof(Appearance), by_place);
  SEXP levels = allocVector(STRSXP, most);
  SET_VECTOR_ELT(out, 0, levels);
  for (int i = 0; i < most; i++) {
    const Entry *entry = &first->entries[order[i].code - 1];
    rank[order[i].code] = i + 1;
    SET_STRING_ELT(levels, i, mkCharLenCE(first->bytes + entry->at, (int) entry->length, CE_UTF8));
  }
  drop_dictionary(first);
  for (int t = 0; t < threads; t++) {
    int *map = INTEGER(VECTOR_ELT(maps, t));
    for (int i = 0; i < LENGTH(VECTOR_ELT(maps, t)); i++) map[i] = rank[map[i]];
  }
  UNPROTECT(1);
  return out;
}

/* The rows of all blocks as R's columns; numbers that are all whole become whole numbers. */
static SEXP whole_columns(Coder *coder, SEXP texts) {
  const Wish *wish = &coder->wish;
  R_xlen_t rows = 0;
  for (int b = 0; b < coder->many_blocks; b++) rows += coder->blocks[b].rows;
  if (rows > INT_MAX) return R_NilValue;
  SEXP out = PROTECT(allocVector(VECSXP, wish->many));
  for (int j = 0; j < wish->many; j++) {
    int number = wish->kinds[j] == kind_number;
    for (int t = 0; t < wish->threads && number; t++) number = coder->whole[t * wish->many + j];
    int doubles = wish->kinds[j] == kind_number && !number;
    SEXP column = allocVector(doubles ? REALSXP : INTSXP, rows);
    SET_VECTOR_ELT(out, j, column);
    char *to = doubles ? (char *) REAL(column) : (char *) INTEGER(column);
    for (int b = 0; b < coder->many_blocks; b++) {
      const Block *block = &coder->blocks[b];
      size_t many = (size_t) block->rows, width = doubles ? sizeof(double) : sizeof(int);
      const int *from = ints_of(coder, block->bytes, j, block->rows);
      if (number) {
        const double *numbers = numbers_of(coder, block->bytes, j, block->rows);
        for (size_t i = 0; i < many; i++) ((int *) to)[i] = (int) numbers[i];
      } else if (wish->kinds[j] == kind_text) {
        const int *map = INTEGER(VECTOR_ELT(VECTOR_ELT(VECTOR_ELT(texts, j), 1), block->thread)) - 1;
        for (size_t i = 0; i < many; i++) ((int *) to)[i] = map[from[i]];
      } else memcpy(to, from, many * width);
      to += many * width;
    }
  }
  UNPROTECT(1);
  return out;
}

static SEXP sums_as_list(const Sum *sums, const int *which, int many) {
  const char *names[] = { "place", "rows", "clicks", "impressions", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, allocVector(INTSXP, many));
  for (int k = 1; k < 4; k++) SET_VECTOR_ELT(out, k, allocVector(REALSXP, many));
  for (int i = 0; i < many; i++) {
    INTEGER(VECTOR_ELT(out, 0))[i] = which[i];
    REAL(VECTOR_ELT(out, 1))[i] = sums[which[i]].rows;
    REAL(VECTOR_ELT(out, 2))[i] = sums[which[i]].clicks;
    REAL(VECTOR_ELT(out, 3))[i] = sums[which[i]].impressions;
  }
  UNPROTECT(1);
  return out;
}

static void add_sum(Sum *to, const Sum *from) {
  to->rows += from->rows;
  to->clicks += from->clicks;
  to->impressions += from->impressions;
}

/* list(days, left) of all threads. */
static SEXP all_sums(Coder *coder) {
  int many = 0, *known = (int *) R_alloc(last_day - first_day + 1, sizeof(int)), both[] = { 0, 1 };
  Sum *days = coder->days[0], left[2] = { { 0, 0, 0 }, { 0, 0, 0 } };
  for (int t = 0; t < coder->wish.threads; t++) {
    for (int k = 0; k < 2; k++) add_sum(&left[k], &coder->left[t][k]);
    for (int d = 0; d <= last_day - first_day && t > 0; d++) add_sum(&days[d], &coder->days[t][d]);
  }
  for (int d = 0; d <= last_day - first_day; d++) if (days[d].rows > 0) known[many++] = d;
  SEXP out = PROTECT(allocVector(VECSXP, 2)), by_day = sums_as_list(days, known, many);
  SET_VECTOR_ELT(out, 0, by_day);
  for (int i = 0; i < many; i++) INTEGER(VECTOR_ELT(by_day, 0))[i] += first_day;
  SET_VECTOR_ELT(out, 1, sums_as_list(left, both, 2));
  UNPROTECT(1);
  return out;
}

static SEXP blocks_as_list(const Coder *coder) {
  const char *names[] = { "thread", "rows", "at", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, allocVector(INTSXP, coder->many_blocks));
  SET_VECTOR_ELT(out, 1, allocVector(INTSXP, coder->many_blocks));
  SET_VECTOR_ELT(out, 2, allocVector(REALSXP, coder->many_blocks));
  for (int b = 0; b < coder->many_blocks; b++) {
    INTEGER(VECTOR_ELT(out, 0))[b] = coder->blocks[b].thread + 1;
    INTEGER(VECTOR_ELT(out, 1))[b] = coder->blocks[b].rows;
    REAL(VECTOR_ELT(out, 2))[b] = (double) coder->blocks[b].at;
  }
  UNPROTECT(1);
  return out;
}

static SEXP code_file(void *data) {
  Coder *coder = data;
  if (!map_file(coder) || !prepare(coder) || !code_shares(coder)) return R_NilValue;
  int twice = any_key_twice(&coder->keys, coder->hands, coder->wish.threads);
  if (twice < 0) return R_NilValue;
  const char *names[] = { "texts", "columns", "blocks", "sums", "twice", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names)), texts = allocVector(VECSXP, coder->wish.many);
  SET_VECTOR_ELT(out, 0, texts);
  for (int j = 0; j < coder->wish.many; j++) {
    if (coder->wish.kinds[j] == kind_text) SET_VECTOR_ELT(texts, j, one_dictionary(coder, j));
  }
  if (coder->rows_file < 0) SET_VECTOR_ELT(out, 1, whole_columns(coder, texts));
  else SET_VECTOR_ELT(out, 3, all_sums(coder));
  SET_VECTOR_ELT(out, 2, blocks_as_list(coder));
  SET_VECTOR_ELT(out, 4, ScalarLogical(twice));
  UNPROTECT(1);
  return out;
}

/* In: a path, lines to skip, the separator, how many cells a line has, which of them are wanted and of which kind (0 text,
   1 count, 2 number, 3 day), which tell rows apart (a flag for each cell), whether rows with more clicks than impressions count,
   threads, and two paths: where rows go ("": into memory; else clicks, impressions and a day must be among the columns, in that
   order the last but one whole numbers) and where keys may wait. Out: list(texts: by column list(levels, codes of those by
   thread); columns, of rows in memory, texts as codes; blocks: thread, rows and where in the file; sums, of rows in the file:
   by day, and of rows without impressions and with more clicks; twice: whether any row may stand twice). NULL where any
   cell is not plain, or memory or the temporary folder have no room. */
SEXP read_plain(SEXP path, SEXP skip, SEXP sep, SEXP cells, SEXP columns, SEXP kinds, SEXP telling, SEXP figures, SEXP above,
    SEXP threads, SEXP rows_path, SEXP keys_path) {
  const char *between = need_text(sep, "read_plain", "a separator of one byte");
  need(strlen(between) == 1, "read_plain", "a separator of one byte");
  need(TYPEOF(columns) == INTSXP && TYPEOF(kinds) == INTSXP && LENGTH(columns) > 0 && LENGTH(columns) == LENGTH(kinds),
    "read_plain", "columns and their kinds");
  int many = LENGTH(columns), of_line = need_count(cells, 1, "read_plain", "how many cells a line has");
  need(TYPEOF(telling) == LGLSXP && LENGTH(telling) == of_line, "read_plain", "a flag for each cell");
  need(TYPEOF(figures) == INTSXP && LENGTH(figures) == 3, "read_plain", "the columns of clicks, impressions and days");
  int of = need_count(threads, 1, "read_plain", "how many threads");
  if (of > most_threads) of = most_threads;
  Coder coder;
  memset(&coder, 0, sizeof coder);
  coder.file = coder.rows_file = -1;
  coder.wish = (Wish) { need_text(path, "read_plain", "a path"), need_text(rows_path, "read_plain", "a path for rows"),
    need_text(keys_path, "read_plain", "a path for keys"), need_count(skip, 0, "read_plain", "lines to skip"), of_line, many, of,
    need_count(above, 0, "read_plain", "a flag"), *between, INTEGER(kinds), (int *) R_alloc(of_line, sizeof(int)),
    LOGICAL(telling), INTEGER(figures)[0] - 1, INTEGER(figures)[1] - 1, INTEGER(figures)[2] - 1 };
  for (int j = 0; j < of_line; j++) coder.wish.becomes[j] = -1;
  coder.column_at = (size_t *) R_alloc(many, sizeof(size_t));
  for (int pass = 0; pass < 2; pass++) {
    for (int j = 0; j < many; j++) {
      int column = INTEGER(columns)[j], kind = INTEGER(kinds)[j];
      need(column > 0 && column <= of_line && kind >= kind_text && kind <= kind_day, "read_plain", "columns of the line and kinds");
      coder.wish.becomes[column - 1] = j;
      if ((kind == kind_number) != (pass == 0)) continue;
      coder.column_at[j] = coder.row_size;
      coder.row_size += kind == kind_number ? sizeof(double) : sizeof(int);
    }
  }
  for (int k = 0; k < 3 && *coder.wish.rows_path; k++) {
    int j = INTEGER(figures)[k];
    need(j > 0 && j <= many && INTEGER(kinds)[j - 1] == (k < 2 ? kind_count : kind_day), "read_plain", "clicks, impressions, days");
  }
  size_t all = (size_t) of * (size_t) many;
  coder.texts = (Dictionary *) R_alloc(all, sizeof(Dictionary));
  memset(coder.texts, 0, all * sizeof(Dictionary));
  coder.waiting = (Waiting *) R_alloc(all, sizeof(Waiting));
  for (size_t i = 0; i < all; i++) coder.waiting[i].many = 0;
  coder.whole = (int *) R_alloc(all, sizeof(int));
  for (size_t i = 0; i < all; i++) coder.whole[i] = 1;
  open_keys(&coder.keys);
  return R_ExecWithCleanup(code_file, &coder, close_coder, &coder);
}
