# What is packed or in another encoding becomes UTF-8 text in a private folder, under names of our
# own: no name that stands in an archive is ever used as a path. What comes out is bounded while it
# is written.

# Bounds of what one file may unpack to. Exports pack 5 to 30 times; texts that were made to burst
# do so 1,000 times.
unpack_bytes <- 4e9

unpack_ratio <- 200

# Below this a high ratio does no harm: an export of few distinct rows packs well.
unpack_free <- 5e7

# Counts what one file of `packed` bytes has become so far, over all layers of packing.
new_meter <- function(path, label) {
  meter <- new.env(parent = emptyenv())
  meter$packed <- max(file.size(path), 1)
  meter$unpacked <- 0
  meter$label <- label
  meter
}

meter_add <- function(meter, bytes) {
  meter$unpacked <- meter$unpacked + bytes
  check_size(meter, meter$unpacked)
}

check_size <- function(meter, unpacked) {
  if (unpacked > unpack_bytes ||
      (unpacked > unpack_free && unpacked / meter$packed > unpack_ratio)) {
    abort_tide("The file unpacks to far more than an export holds.",
      where = sprintf("'%s': %s MB become %s MB or more.", meter$label, format_size(meter$packed),
        format_size(unpacked)),
      fix = "If it is an export all the same, unpack it yourself and name the tables.",
      class = "file", file = meter$label)
  }
}

format_size <- function(bytes) {
  ifelse(bytes < 1e7, sprintf("%.2g", bytes / 1e6), sprintf("%.0f", bytes / 1e6))
}

abort_unpack <- function(label, cause,
    fix = "It may be damaged or half downloaded: export it again.") {
  cause <- plain_cause(cause)
  if (!nzchar(cause)) cause <- "it ends too early"
  abort_tide("The file cannot be unpacked.", where = sprintf("'%s': %s.", label, cause), fix = fix,
    class = "file", file = label)
}

# gz, to `target`. The last eight bytes tell the checksum and the length of what is inside.
gunzip <- function(path, target, label, meter) {
  from <- gzfile(path, "rb")
  on.exit(close(from))
  written <- copy_stream(function() readBin(from, "raw", 2^22), target, label, meter)
  trailer <- file_bytes(path, max(0, file.size(path) - 8), 8)
  # Several gz streams in a row are a gz, too; then the end tells of the last one alone.
  if (written == little(trailer[5:8])) {
    check_sum(target, little(trailer[1:4]), label)
  } else if (written < little(trailer[5:8])) {
    abort_unpack(label, "it ends too early, as a broken download does")
  }
  target
}

file_bytes <- function(path, from, n) {
  con <- base::file(path, "rb", raw = TRUE)
  on.exit(close(con))
  seek(con, from)
  readBin(con, "raw", n)
}

# Whole numbers of two, four or eight bytes, the lowest first.
little <- function(bytes) sum(as.numeric(bytes) * 256^(seq_along(bytes) - 1))

check_sum <- function(path, sum, label) {
  if (as.numeric(paste0("0x", digest::digest(path, algo = "crc32", file = TRUE))) != sum) {
    abort_unpack(label, "its checksum is wrong")
  }
}

# Out: how many bytes were written. read: a function that gives the next bytes, none at the end.
copy_stream <- function(read, target, label, meter) {
  to <- base::file(target, "wb", raw = TRUE)
  opened <- TRUE
  on.exit(if (opened) close(to))
  written <- 0
  fail <- function(e) if (inherits(e, "tide_error")) stop(e) else abort_unpack(label, e)
  while (length(bytes <- tryCatch(read(), error = fail, warning = fail))) {
    meter_add(meter, length(bytes))
    tryCatch(writeBin(bytes, to), warning = function(w) abort_no_room(label))
    written <- written + length(bytes)
  }
  close(to)
  opened <- FALSE
  if (file.size(target) != written) abort_no_room(label)
  written
}

abort_no_room <- function(label) {
  abort_tide("There is no room left in the temporary folder.",
    where = sprintf("'%s'.", dirname(tempdir())),
    fix = "Make room, or name another folder in the environment variable TMPDIR.", class = "file",
    file = label)
}

# The members of a zip, from the directory at its end (APPNOTE.TXT 4.3): data.table(name, flags,
# method, sum, packed, unpacked, offset, kind), of which kind is "file", "folder", "link" or
# "other".
zip_members <- function(path, label) {
  size <- file.size(path)
  last <- file_bytes(path, max(0, size - 65557), 65557)
  ends <- grepRaw(as.raw(c(0x50, 0x4b, 0x05, 0x06)), last, all = TRUE)
  if (!length(ends)) abort_unpack(label, "its directory is missing, as in a broken download")
  at <- ends[length(ends)]
  if (at + 21 > length(last)) {
    abort_unpack(label, "its directory is cut off, as in a broken download")
  }
  begin <- little(last[at + 16:19])
  directory <- little(last[at + 12:15])
  if (begin == 2^32 - 1 || directory == 2^32 - 1) {
    wide <- little(last[at - 20 + 8:15])
    wide <- file_bytes(path, wide, 56)
    if (length(wide) < 56) abort_unpack(label, "its directory is damaged")
    directory <- little(wide[41:48])
    begin <- little(wide[49:56])
  }
  if (begin + directory > size) abort_unpack(label, "its directory is damaged")
  bytes <- file_bytes(path, begin, directory)
  found <- list()
  at <- 0
  while (at + 46 <= length(bytes) && little(bytes[at + 1:4]) == 0x02014b50) {
    field <- function(from, n) little(bytes[at + from + seq_len(n)])
    day_counts <- c(field(28, 2), field(30, 2), field(32, 2))
    if (at + 46 + sum(day_counts) > length(bytes)) abort_unpack(label, "its directory is damaged")
    found[[length(found) + 1]] <- c(list(name = zip_name(bytes[at + 46 + seq_len(day_counts[1])]),
      flags = field(8, 2), method = field(10, 2), sum = field(16, 4),
      kind = zip_kind(field(5, 1), field(40, 2))),
      zip_sizes(c(unpacked = field(24, 4), packed = field(20, 4), offset = field(42, 4)),
        bytes[at + 46 + day_counts[1] + seq_len(day_counts[2])]))
    at <- at + 46 + sum(day_counts)
  }
  if (!length(found)) {
    abort_no_table("The archive holds no tables.", label, "Put CSV files into it.")
  }
  members <- rbindlist(found)
  set(members, which(endsWith(members$name, "/")), "kind", "folder")
  members
}

zip_name <- function(bytes) as_utf8(rawToChar(bytes[bytes != 0]))

# Unix keeps the kind of a file in the upper half of its mode (system: 3).
zip_kind <- function(system, mode) {
  if (system != 3) return("file")
  switch(as.character(mode %/% 4096), `0` = "file", `8` = "file", `4` = "folder", `10` = "link",
    "other")
}

# Sizes of four bytes that are full stand with eight in the extra field 1, in this order.
zip_sizes <- function(sizes, extra) {
  at <- 0
  while (at + 4 <= length(extra)) {
    long <- little(extra[at + 3:4])
    if (little(extra[at + 1:2]) == 1) {
      from <- at + 4
      for (name in names(sizes)[sizes == 2^32 - 1]) {
        if (from + 8 <= length(extra)) {
          sizes[[name]] <- little(extra[from + 1:8])
          from <- from + 8
        }
      }
    }
    at <- at + 4 + long
  }
  as.list(sizes)
}

# One member to `target`: its bytes become a gz of their own, which checks length and sum.
unzip_member <- function(path, member, target, label, meter) {
  if (member$flags %% 2 == 1) {
    abort_unpack(label, "it is locked with a password", "Give it without one.")
  }
  if (!member$method %in% c(0, 8)) abort_unpack(label, "it is packed in a way that cannot be read")
  heading <- file_bytes(path, member$offset, 30)
  if (length(heading) < 30 || little(heading[1:4]) != 0x04034b50) {
    abort_unpack(label, "the archive is damaged")
  }
  from <- base::file(path, "rb", raw = TRUE)
  on.exit(close(from))
  seek(from, member$offset + 30 + little(heading[27:28]) + little(heading[29:30]))
  left <- member$packed
  take <- function() {
    bytes <- readBin(from, "raw", min(left, 2^22))
    left <<- left - length(bytes)
    bytes
  }
  if (member$method == 0) {
    copy_stream(take, target, label, meter)
    check_sum(target, member$sum, label)
    return(target)
  }
  packed <- paste0(target, ".gz")
  on.exit(unlink(packed), add = TRUE)
  last_part <- c(as_little(member$sum), as_little(member$unpacked %% 2^32))
  pieces <- c(list(function() as.raw(c(0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 0xff))), list(take),
    list(function() last_part))
  turn <- 1
  # What is packed is bounded by the file itself.
  copy_stream(function() {
    repeat {
      if (turn > 3) return(raw())
      bytes <- pieces[[turn]]()
      if (turn != 2 || !length(bytes)) turn <<- turn + 1
      if (length(bytes)) return(bytes)
    }
  }, packed, label, new_meter(path, label))
  gunzip(packed, target, label, meter)
  if (file.size(target) != member$unpacked) abort_unpack(label, "it ends too early")
  target
}

as_little <- function(number) as.raw((number %/% 256^(0:3)) %% 256)
