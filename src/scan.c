/* One walk over a text file before it is read: how many records it has, where each begins, and what
   would make a reader stumble. Records are counted here by the rules of RFC 4180 (quotes at the
   beginning of a cell, "" for a quote inside), so that the rows that were read can be held against
   them and none is lost without a word. */
#include <stdio.h>
#include <limits.h>
#include <stdint.h>
#include <string.h>
#include "checks.h"
#include "utf8.h"

enum { chunk_size = 1 << 20, most_named = 20 };

/* A vector of whole numbers that grows; its memory belongs to R. */
typedef struct {
  int *at;
  int many, room;
} Numbers;

static void append(Numbers *to, int value) {
  if (to->many == to->room) {
    int room = to->room ? 2 * to->room : 64, *larger = (int *)R_alloc(room, sizeof(int));
    if (to->many) memcpy(larger, to->at, to->many * sizeof(int));
    to->at = larger;
    to->room = room;
  }
  to->at[to->many++] = value;
}

static SEXP as_integer_vector(Numbers *from) {
  SEXP out = allocVector(INTSXP, from->many);
  if (from->many) memcpy(INTEGER(out), from->at, from->many * sizeof(int));
  return out;
}

typedef struct {
  FILE *file;
  FILE *copy;
  unsigned char sep, *bytes;
  int skip;
  /* Found. */
  int header_cells, records, blank, invalid, nul, escaped, stray_quote, open_quote, ragged;
  Numbers empty, jump_record, jump_line, ragged_line, ragged_cells;
  /* Of the record at hand; its bytes are kept where a copy is made. */
  int line, cells, filled, started, quote_line;
  unsigned char *held;
  size_t many, room;
} Scan;

static void hold(Scan *scan, unsigned char byte) {
  if (scan->many == scan->room) {
    size_t room = scan->room ? 2 * scan->room : 4096;
    unsigned char *larger = (unsigned char *)R_alloc(room, 1);
    if (scan->many) memcpy(larger, scan->held, scan->many);
    scan->held = larger;
    scan->room = room;
  }
  scan->held[scan->many++] = byte;
}

static void note_place(Scan *scan) {
  int record = scan->records, last = scan->jump_record.many - 1;
  if (last >= 0 && scan->line == scan->jump_line.at[last] + record - scan->jump_record.at[last])
    return;
  append(&scan->jump_record, record);
  append(&scan->jump_line, scan->line);
}

/* The first record is the header; blank lines are no records. */
static void end_record(Scan *scan) {
  if (!scan->started) scan->blank++;
  else if (!scan->header_cells) scan->header_cells = scan->cells;
  else {
    scan->records++;
    note_place(scan);
    if (!scan->filled) append(&scan->empty, scan->records);
    else if (scan->cells != scan->header_cells) {
      scan->ragged++;
      if (scan->ragged_line.many < most_named) {
        append(&scan->ragged_line, scan->line);
        append(&scan->ragged_cells, scan->cells);
      }
    }
    if (scan->copy != NULL && scan->filled) {
      hold(scan, '\n');
      if (fwrite(scan->held, 1, scan->many, scan->copy) != scan->many)
        error("there is no room left");
    }
  }
  scan->many = 0;
  scan->started = scan->filled = 0;
  scan->cells = 1;
}

static void close_scan(void *data) {
  Scan *scan = data;
  if (scan->file != NULL) fclose(scan->file);
  if (scan->copy != NULL) fclose(scan->copy);
  scan->file = scan->copy = NULL;
}

/* The next byte from `at` on that is `one`, `other`, zero or beyond ASCII: eight at a time, by the
   bits that a zero byte leaves in a word. */
static inline size_t skip_plain(
  const unsigned char *bytes, size_t at, size_t end, unsigned char one, unsigned char other) {
  const uint64_t each = 0x0101010101010101u, high = 0x8080808080808080u;
  while (at + 8 <= end) {
    uint64_t word, a, b;
    memcpy(&word, bytes + at, 8);
    a = word ^ (each * one);
    b = word ^ (each * other);
    if ((((a - each) & ~a) | ((b - each) & ~b) | ((word - each) & ~word) | word) & high) break;
    at += 8;
  }
  while (at < end && bytes[at] != one && bytes[at] != other && bytes[at] != 0 && bytes[at] < 128)
    at++;
  return at;
}

/* The same over whole cells, as long as each begins as plainly as it goes on; counts those begun.
 */
static size_t skip_cells(const unsigned char *bytes, size_t at, size_t end, unsigned char sep,
  unsigned char line_end, int *cells) {
  for (;;) {
    at = skip_plain(bytes, at, end, sep, line_end);
    if (at + 1 >= end || bytes[at] != sep || *cells == INT_MAX) return at;
    unsigned char next = bytes[at + 1];
    if (next <= ' ' || next >= 127 || next == '"' || next == sep) return at;
    ++*cells;
    at += 2;
  }
}

/* Where line feeds end lines, a carriage return alone is part of a cell; in a file without any it
 * ends lines itself. */
static int has_line_feed(Scan *scan) {
  size_t got;
  while ((got = fread(scan->bytes, 1, chunk_size, scan->file)) > 0) {
    if (memchr(scan->bytes, '\n', got) != NULL) {
      rewind(scan->file);
      return 1;
    }
    R_CheckUserInterrupt();
  }
  rewind(scan->file);
  return 0;
}

static SEXP walk(void *data) {
  Scan *scan = data;
  unsigned char sep = scan->sep;
  unsigned char special[256] = { 0 };
  special['\n'] = special['\r'] = special['"'] = special[sep] = special[0] = 1;
  for (int b = 128; b < 256; b++) special[b] = 1;
  unsigned char line_end = has_line_feed(scan) ? '\n' : '\r';
  enum { at_start, plain, quoted, after_quote } state = at_start;
  Utf8 utf8 = { 0, 0x80, 0xBF };
  int line = 1;
  size_t got;
  scan->cells = 1;
  while ((got = fread(scan->bytes, 1, chunk_size, scan->file)) > 0) {
    R_CheckUserInterrupt();
    for (size_t i = 0; i < got; i++) {
      /* Most bytes are the middle of a cell, where nothing but its end, zeros and what is beyond
       * ASCII matters. */
      if (state == plain && !utf8.left && scan->copy == NULL) {
        int cells = scan->cells;
        i = skip_cells(scan->bytes, i, got, sep, line_end, &cells);
        scan->cells = cells;
        if (i == got) break;
      }
      unsigned char byte = scan->bytes[i];
      if (line <= scan->skip) {
        if (byte == line_end && ++line == INT_MAX) error("the file has too many lines");
        continue;
      }
      if (scan->copy != NULL && (byte != line_end || state == quoted)) hold(scan, byte);
      if (!special[byte] && state == plain && !utf8.left) continue;
      if (byte == 0) {
        if (!scan->nul) scan->nul = line;
        continue;
      }
      if ((byte >= 128 || utf8.left) && !utf8_step(&utf8, byte) && !scan->invalid)
        scan->invalid = line;
      if (state == quoted) {
        if (byte == '"') state = after_quote;
        else {
          if (byte == line_end) line++;
          if (byte > ' ') scan->filled = 1;
        }
        continue;
      }
      if (state == after_quote && byte == '"') {
        state = quoted;
        scan->escaped = 1;
        scan->filled = 1;
        continue;
      }
      if (byte == line_end) {
        end_record(scan);
        state = at_start;
        if (++line == INT_MAX) error("the file has too many lines");
        continue;
      }
      if (byte == sep) {
        if (!scan->started) {
          scan->started = 1;
          scan->line = line;
        }
        if (++scan->cells == INT_MAX) error("a line has too many cells");
        state = at_start;
        continue;
      }
      /* Old systems end a text with a byte of its own. */
      if (byte == ' ' || byte == '\r' || byte == '\t' || byte == 0x1A) continue;
      if (!scan->started) {
        scan->started = 1;
        scan->line = line;
      }
      if (byte == '"' && state == at_start) {
        state = quoted;
        scan->quote_line = line;
        continue;
      }
      if (state == after_quote) {
        if (!scan->stray_quote) scan->stray_quote = line;
      }
      scan->filled = 1;
      state = plain;
    }
  }
  if (ferror(scan->file)) error("the file cannot be read to its end");
  if (state == quoted) scan->open_quote = scan->quote_line;
  if (utf8.left && !scan->invalid) scan->invalid = line;
  if (state == at_start && !scan->started) scan->blank--;
  end_record(scan);
  if (scan->copy != NULL) {
    int failed = fclose(scan->copy);
    scan->copy = NULL;
    if (failed) error("there is no room left");
  }
  const char *names[] = { "records", "header_cells", "ragged", "ragged_line", "ragged_cells",
    "empty", "jump_record", "jump_line", "blank", "line_feed", "escaped", "open_quote",
    "stray_quote", "invalid", "nul", "" };
  SEXP out = PROTECT(mkNamed(VECSXP, names));
  SET_VECTOR_ELT(out, 0, ScalarInteger(scan->records));
  SET_VECTOR_ELT(out, 1, ScalarInteger(scan->header_cells));
  SET_VECTOR_ELT(out, 2, ScalarInteger(scan->ragged));
  SET_VECTOR_ELT(out, 3, as_integer_vector(&scan->ragged_line));
  SET_VECTOR_ELT(out, 4, as_integer_vector(&scan->ragged_cells));
  SET_VECTOR_ELT(out, 5, as_integer_vector(&scan->empty));
  SET_VECTOR_ELT(out, 6, as_integer_vector(&scan->jump_record));
  SET_VECTOR_ELT(out, 7, as_integer_vector(&scan->jump_line));
  SET_VECTOR_ELT(out, 8, ScalarInteger(scan->blank));
  SET_VECTOR_ELT(out, 9, ScalarLogical(line_end == '\n'));
  SET_VECTOR_ELT(out, 10, ScalarLogical(scan->escaped));
  SET_VECTOR_ELT(out, 11, ScalarInteger(scan->open_quote));
  SET_VECTOR_ELT(out, 12, ScalarInteger(scan->stray_quote));
  SET_VECTOR_ELT(out, 13, ScalarInteger(scan->invalid));
  SET_VECTOR_ELT(out, 14, ScalarInteger(scan->nul));
  UNPROTECT(1);
  return out;
}

/* In: a file; how many lines stand above its header; the separator; a path for a copy of the
   records without blank ones and with a line feed behind each, or "". Out: a list of what was
   found, lines and records counted from 1, the header not among the records: `records` (blank lines
   are none, `blank` counts those); `header_cells`; `ragged`, how many records have another number
   of cells, with the first lines and counts; `empty`, records whose cells are all blank;
   `jump_record` and `jump_line`, the records that do not begin on the line after the one before;
   `line_feed`, whether line feeds end lines; `escaped`, whether a quoted cell holds ""; and by
   their first line, 0 for none: a quote that is never closed, text behind a closing quote, bytes
   that are not UTF-8, bytes of zero. */
SEXP scan_records(SEXP path, SEXP skip, SEXP sep, SEXP copy) {
  const char *name = need_text(path, "scan_records", "a path");
  const char *between = need_text(sep, "scan_records", "a separator of one byte");
  const char *to = need_text(copy, "scan_records", "a path for the copy");
  need(strlen(between) == 1 && *between != '"' && *between != '\n' && *between != '\r',
    "scan_records", "a separator of one byte");
  Scan scan;
  memset(&scan, 0, sizeof scan);
  scan.sep = (unsigned char)*between;
  scan.skip = need_count(skip, 0, "scan_records", "how many lines to skip");
  scan.bytes = (unsigned char *)R_alloc(chunk_size, 1);
  scan.file = fopen(R_ExpandFileName(name), "rb");
  if (scan.file == NULL) error("the file cannot be opened");
  if (*to != 0) {
    scan.copy = fopen(R_ExpandFileName(to), "wb");
    if (scan.copy == NULL) {
      fclose(scan.file);
      error("the copy cannot be opened");
    }
  }
  return R_ExecWithCleanup(walk, &scan, close_scan, &scan);
}
