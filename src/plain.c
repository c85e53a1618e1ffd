/* The plain export in one walk: texts become codes of a dictionary as they pass, so that no text is
   made for each row; counts, positions and dates become numbers, rows are told apart by all of
   their cells but the figures. Whatever is not plain is left to the general reader: the walk stops
   at the first cell that it does not understand. Shares of the file are dealt out to threads, each
   with dictionaries of its own, which become one at the end, in order of appearance; threads touch
   nothing of R's. The rows of each share are a block, kept in memory or put into a file. */
#include <fcntl.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include "plain.h"
#include "plain-cells.h"
#include "scatter.h"
#include "utf8.h"

/* A share of the file: whole lines from `at` to `end`. */
typedef struct {
  Coder *coder;
  const char *at, *end;
  int thread, rows, fine;
  uint64_t number;
  size_t place;
  char *bytes;
} Share;

static void *count_lines(void *data) {
  Share *of = data;
  of->rows = 0;
  for (const char *at = of->at; at < of->end; of->rows++) {
    at = memchr(at, '\n', (size_t)(of->end - at));
    if (at == NULL) at = of->end;
    else at++;
  }
  return NULL;
}

static uint64_t mixed(uint64_t key, uint64_t with, int cell) {
  return scatter(key ^ (with + (uint64_t)cell));
}

static int put_cell(
  Share *of, int cell, int row, const char *from, const char *to, int quoted, uint64_t *key) {
  Coder *coder = of->coder;
  const Wish *wish = &coder->wish;
  int own = wish->becomes[cell];
  size_t length = (size_t)(to - from);
  if (own < 0 || wish->kinds[own] == kind_text) {
    if (length > longest_text) return 0;
    if (own >= 0 || wish->telling[cell]) {
      if (!quoted && !plain_text(from, to)) return 0;
      uint64_t hash = text_hash(from, (uint32_t)length);
      if (wish->telling[cell]) *key = mixed(*key, hash, cell);
      if (own >= 0) {
        int at = of->thread * wish->many + own;
        return text_waits(&coder->texts[at], &coder->waiting[at],
          ints_of(coder, of->bytes, own, of->rows), of->number, from, (uint32_t)length, hash, row);
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
  *key = mixed(*key, (uint64_t)*value, cell);
  return 1;
}

/* Sums by day of the rows that count, and of those that do not. */
static void sum_row(const Share *of, int row) {
  Coder *coder = of->coder;
  const Wish *wish = &coder->wish;
  int clicks = ints_of(coder, of->bytes, wish->clicks, of->rows)[row];
  int impressions = ints_of(coder, of->bytes, wish->impressions, of->rows)[row];
  int day = ints_of(coder, of->bytes, wish->day, of->rows)[row];
  Sum *sum = impressions == 0              ? &coder->left[of->thread][0]
    : clicks > impressions && !wish->above ? &coder->left[of->thread][1]
                                           : &coder->days[of->thread][day - first_day];
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
    if (!next_cell(&of->at, of->end, wish->sep, &from, &to, &quoted) ||
      !put_cell(of, cell, row, from, to, quoted, &key))
      return 0;
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
  size_t size = coder->row_size * (size_t)of->rows;
  of->bytes = malloc(size);
  of->fine = of->bytes != NULL;
  for (int row = 0; of->fine && row < of->rows; row++)
    of->fine = of->at < of->end && read_line(of, row);
  of->fine = of->fine && of->at == of->end;
  for (int j = 0; j < wish->many && of->fine; j++) {
    int at = of->thread * wish->many + j;
    if (wish->kinds[j] == kind_text) {
      of->fine = settle_texts(
        &coder->texts[at], &coder->waiting[at], ints_of(coder, of->bytes, j, of->rows), of->number);
    }
  }
  if (!of->fine || coder->rows_file < 0) return NULL;
  for (size_t done = 0; done < size && of->fine;) {
    ssize_t wrote =
      pwrite(coder->rows_file, of->bytes + done, size - done, (off_t)(of->place + done));
    if (wrote <= 0) of->fine = 0;
    else done += (size_t)wrote;
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
    for (int j = 0; j < coder->wish.many; j++)
      drop_dictionary(&coder->texts[t * coder->wish.many + j]);
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
  if (coder->file < 0 || fstat(coder->file, &facts) || facts.st_size == 0 ||
    !S_ISREG(facts.st_mode))
    return 0;
  coder->size = (size_t)facts.st_size;
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
    Block *larger = realloc(coder->blocks, (size_t)room * sizeof(Block));
    if (larger == NULL) return 0;
    coder->blocks = larger;
    coder->room = room;
  }
  coder->blocks[coder->many_blocks++] =
    (Block){ share->thread, share->rows, share->place, share->bytes };
  share->bytes = NULL;
  return 1;
}

/* All shares in turn, so many at once as there are threads. */
static int code_shares(Coder *coder) {
  const Wish *wish = &coder->wish;
  const char *at = coder->start, *end = at + coder->size;
  for (int i = 0; i < wish->skip; i++) {
    at = memchr(at, '\n', (size_t)(end - at));
    if (at++ == NULL) return 0;
  }
  Share shares[most_threads];
  for (uint64_t number = 0; at < end;) {
    R_CheckUserInterrupt();
    const char *begin = at;
    for (int t = 0; t < wish->threads; t++) {
      /* A small file is dealt out, too. */
      size_t left = (size_t)(end - at), part = left / (size_t)(wish->threads - t) + 1;
      if (part > share_size) part = share_size;
      const char *stop = left > part ? memchr(at + part, '\n', left - part) : NULL;
      stop = stop == NULL ? end : stop + 1;
      shares[t] = (Share){ coder, at, stop, t, 0, 1, number++, 0, NULL };
      at = stop;
    }
    in_threads(count_lines, shares, wish->threads);
    for (int t = 0; t < wish->threads; t++) {
      shares[t].place = coder->end;
      coder->end += coder->row_size * (size_t)shares[t].rows;
    }
    in_threads(read_share, shares, wish->threads);
    int fine = 1;
    for (int t = 0; t < wish->threads; t++) {
      fine &= shares[t].fine;
      if (shares[t].rows && !keep_block(coder, &shares[t])) fine = 0;
    }
    if (!fine) return 0;
    /* What was read need not stay in memory. */
    size_t page = (size_t)sysconf(_SC_PAGESIZE),
           from = (size_t)(begin - coder->start) / page * page;
    madvise(coder->start + from, (size_t)(at - coder->start) / page * page - from, MADV_DONTNEED);
  }
  return coder->many_blocks > 0;
}

static SEXP code_file(void *data) {
  Coder *coder = data;
  if (!map_file(coder) || !prepare(coder) || !code_shares(coder)) return R_NilValue;
  int twice = any_key_twice(&coder->keys, coder->hands, coder->wish.threads);
  if (twice < 0) return R_NilValue;
  const char *names[] = { "texts", "columns", "blocks", "sums", "twice", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, texts_of(coder));
  if (coder->rows_file < 0) {
    SET_VECTOR_ELT(out, 1, columns_of(coder, VECTOR_ELT(out, 0)));
    if (VECTOR_ELT(out, 1) == R_NilValue) {
      UNPROTECT(1);
      return R_NilValue;
    }
  } else SET_VECTOR_ELT(out, 3, sums_of(coder));
  SET_VECTOR_ELT(out, 2, blocks_of(coder));
  SET_VECTOR_ELT(out, 4, ScalarLogical(twice));
  UNPROTECT(1);
  return out;
}

/* In: a path, lines to skip, the separator, how many cells a line has, which of them are wanted and
   of which kind (0 text, 1 count, 2 number, 3 day), which tell rows apart (a flag for each cell),
   whether rows with more clicks than impressions count, threads, and two paths: where rows go ("":
   into memory; else clicks, impressions and a day must be among the columns, in that order the last
   but one whole numbers) and where keys may wait. Out: list(texts: by column list(levels, codes of
   those by thread); columns, of rows in memory, texts as codes; blocks: thread, rows and where in
   the file; sums, of rows in the file: by day, and of rows without impressions and with more
   clicks; twice: whether any row may stand twice). NULL where any cell is not plain, or memory or
   the temporary folder have no room. */
SEXP read_plain(SEXP path, SEXP skip, SEXP sep, SEXP cells, SEXP columns, SEXP kinds, SEXP telling,
  SEXP figures, SEXP above, SEXP threads, SEXP rows_path, SEXP keys_path) {
  const char *between = need_text(sep, "read_plain", "a separator of one byte");
  need(strlen(between) == 1, "read_plain", "a separator of one byte");
  need(TYPEOF(columns) == INTSXP && TYPEOF(kinds) == INTSXP && LENGTH(columns) > 0 &&
      LENGTH(columns) == LENGTH(kinds),
    "read_plain", "columns and their kinds");
  int many = LENGTH(columns),
      of_line = need_count(cells, 1, "read_plain", "how many cells a line has");
  need(
    TYPEOF(telling) == LGLSXP && LENGTH(telling) == of_line, "read_plain", "a flag for each cell");
  need(TYPEOF(figures) == INTSXP && LENGTH(figures) == 3, "read_plain",
    "the columns of clicks, impressions and days");
  for (int k = 0; k < 3; k++)
    need(INTEGER(figures)[k] >= 0, "read_plain", "columns, or 0 for none");
  int of = need_count(threads, 1, "read_plain", "how many threads");
  if (of > most_threads) of = most_threads;
  Coder coder;
  memset(&coder, 0, sizeof coder);
  coder.file = coder.rows_file = -1;
  coder.wish = (Wish){ need_text(path, "read_plain", "a path"),
    need_text(rows_path, "read_plain", "a path for rows"),
    need_text(keys_path, "read_plain", "a path for keys"),
    need_count(skip, 0, "read_plain", "lines to skip"), of_line, many, of,
    need_count(above, 0, "read_plain", "a flag"), *between, INTEGER(kinds),
    (int *)R_alloc(of_line, sizeof(int)), LOGICAL(telling), INTEGER(figures)[0] - 1,
    INTEGER(figures)[1] - 1, INTEGER(figures)[2] - 1 };
  for (int j = 0; j < of_line; j++) coder.wish.becomes[j] = -1;
  coder.column_at = (size_t *)R_alloc(many, sizeof(size_t));
  for (int j = 0; j < many; j++) {
    int column = INTEGER(columns)[j], kind = INTEGER(kinds)[j];
    need(column > 0 && column <= of_line && kind >= kind_text && kind <= kind_day, "read_plain",
      "columns of the line and kinds");
    coder.wish.becomes[column - 1] = j;
  }
  coder.row_size = lay_out(INTEGER(kinds), many, coder.column_at);
  for (int k = 0; k < 3 && *coder.wish.rows_path; k++) {
    int j = INTEGER(figures)[k];
    need(j > 0 && j <= many && INTEGER(kinds)[j - 1] == (k < 2 ? kind_count : kind_day),
      "read_plain", "clicks, impressions, days");
  }
  size_t all = (size_t)of * (size_t)many;
  coder.texts = (Dictionary *)R_alloc(all, sizeof(Dictionary));
  memset(coder.texts, 0, all * sizeof(Dictionary));
  coder.waiting = (Waiting *)R_alloc(all, sizeof(Waiting));
  for (size_t i = 0; i < all; i++) coder.waiting[i].many = 0;
  coder.whole = (int *)R_alloc(all, sizeof(int));
  for (size_t i = 0; i < all; i++) coder.whole[i] = 1;
  open_keys(&coder.keys);
  return R_ExecWithCleanup(code_file, &coder, close_coder, &coder);
}
