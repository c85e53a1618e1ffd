# What was worked out, kept beside the archive so that the same is not worked out twice. It is
# never the truth: each file names the version of what it rests on and counts for that one alone,
# and deleting all of them loses nothing.
#
# A file is a line with the length of its head, a head in JSON, which says how the value is built of
# vectors, and the bytes of these; texts are a dictionary and codes. No code is in it: what holds
# functions or environments is not kept.

# So much is kept of one archive; the oldest files go first.
kept_bytes <- 5e8

kept_folder <- function(store) file.path(store$dir, "kept")

# The value of `make()`: what was kept under this name for this version, else made and kept. A
# version of NULL keeps nothing.
kept_value <- function(store, name, version, make) {
  if (is.null(version)) return(make())
  version <- digest::digest(list(version, utils::packageDescription("inktide")$Built))
  path <- file.path(kept_folder(store), paste0(name, ".kept"))
  found <- if (file.exists(path)) null_if_it_fails(read_kept(path, version))
  if (!is.null(found)) return(found$value)
  value <- make()
  # A folder that takes no files, or a full disk, is no reason to give no answer.
  try(suppressWarnings(keep_value(path, version, value)), silent = TRUE)
  value
}

# How much is kept of an archive: list(answers, bytes, unreadable: files that are no answer).
kept_state <- function(store) {
  files <- list.files(kept_folder(store), "[.]kept$", full.names = TRUE)
  whole <- vapply(files, function(path) {
    # Whether it begins as an answer does; of which version is all the same.
    !is.null(tryCatch(c(read_kept(path, "none"), TRUE), error = function(e) NULL))
  }, NA)
  list(answers = sum(whole), bytes = sum(file.size(files)), unreadable = sum(!whole))
}

# Signs of the line that says how long the head is.
kept_size_signs <- 16L

keep_value <- function(path, version, value) {
  packed <- pack_value(value)
  if (is.null(packed)) return(invisible())
  dir.create(dirname(path), showWarnings = FALSE)
  opening <- sprintf('{"version":"%s","value":%s}', version, packed$node)
  write_whole(path, function(part) {
    con <- file(part, "wb")
    on.exit(close(con))
    opening <- charToRaw(opening)
    writeBin(charToRaw(sprintf("%*d\n", kept_size_signs - 1L, length(opening))), con)
    writeBin(opening, con)
    for (bytes in packed$vectors) writeBin(bytes, con)
  })
  files <- list.files(dirname(path), "[.]kept$", full.names = TRUE)
  files <- files[order(file.mtime(files), decreasing = TRUE)]
  unlink(files[cumsum(file.size(files)) > kept_bytes])
}

# list(value) of a file of this version; NULL of another.
read_kept <- function(path, version) {
  con <- file(path, "rb")
  on.exit(close(con))
  size <- rawToChar(readBin(con, "raw", kept_size_signs))
  if (!grepl("^ *[0-9]{1,9}\n$", size)) stop("no kept answer")
  opening <- rawToChar(readBin(con, "raw", as.integer(size)))
  # The version stands first: of another nothing needs to be read.
  if (!grepl(sprintf("^[{]\"version\":\"%s\"", version), opening)) return(NULL)
  list(value = unpack_value(parse_json(opening)$value, con))
}

# What a value is built of: list(node: a tree of types and lengths as JSON, vectors: their contents
# in its order); NULL where it holds something that is no data.
pack_value <- function(value) {
  vectors <- list()
  add <- function(...) for (one in list(...)) vectors[[length(vectors) + 1L]] <<- one
  # Put together by hand: thousands of small nodes take a writer of any JSON a second.
  node_of <- function(x) {
    if (is.null(x)) return('{"type":"null"}')
    node <- if (is.character(x)) {
      texts <- unique(x[!is.na(x)])
      if (any(grepl(kept_break, texts, fixed = TRUE))) stop("a text that cannot be kept")
      bytes <- charToRaw(paste(c(enc2utf8(texts), ""), collapse = kept_break))
      add(match(x, texts, nomatch = 0L), bytes)
      sprintf('"type":"text","length":%d,"texts":%d,"bytes":%d', length(x), length(texts),
        length(bytes))
    } else if (is.list(x) && !is.environment(x)) {
      sprintf('"type":"list","parts":[%s]', paste(vapply(unclass(x), node_of, ""), collapse = ","))
    } else if (typeof(x) %in% c("integer", "logical", "double") && !isS4(x)) {
      bare <- as.vector(unclass(x))
      attributes(bare) <- NULL
      add(bare)
      sprintf('"type":"%s","length":%d', typeof(x), length(x))
    } else {
      stop("no data")
    }
    facts <- attributes(x)
    facts <- facts[setdiff(names(facts), c(".internal.selfref", "index",
      if (is.data.frame(x)) "row.names"))]
    if (!all(grepl("^[A-Za-z._]+$", names(facts)))) stop("a fact that cannot be kept")
    paste0("{", node, if (is.data.frame(x)) sprintf(',"rows":%d', nrow(x)), if (length(facts)) {
      sprintf(',"facts":{%s}', paste0('"', names(facts), '":', vapply(facts, node_of, ""),
        collapse = ","))
    }, "}")
  }
  node <- tryCatch(node_of(value), error = function(e) NULL)
  if (!is.null(node)) list(node = node, vectors = vectors)
}

# A sign that no text has between two of a dictionary.
kept_break <- "\037"

unpack_value <- function(node, con) {
  x <- switch(node$type,
    null = return(NULL),
    list = lapply(node$parts, unpack_value, con),
    text = {
      codes <- readBin(con, "integer", node$length)
      texts <- readBin(con, "raw", node$bytes)
      if (length(codes) != node$length || length(texts) != node$bytes) stop("cut off")
      texts <- rawToChar(texts)
      Encoding(texts) <- "UTF-8"
      texts <- utils::head(strsplit(texts, kept_break, fixed = TRUE)[[1]], node$texts)
      length(texts) <- node$texts
      texts[is.na(texts)] <- ""
      replace(rep(NA_character_, node$length), codes > 0L, texts[codes])
    },
    integer = , logical = , double = readBin(con, node$type, node$length),
    stop("unknown type"))
  if (node$type != "list" && length(x) != node$length) stop("cut off")
  for (name in names(node$facts)) attr(x, name) <- unpack_value(node$facts[[name]], con)
  if (!is.null(node$rows)) attr(x, "row.names") <- .set_row_names(node$rows)
  if (inherits(x, "data.table")) setDT(x) else x
}

# What the index says, without opening it where it is as it was: SQLite counts its changes in the
# head of the file.
read_index <- function(store, name, work) {
  kept_value(store, paste0("index-", name), index_version(store),
    function() with_store(store, write = FALSE, work))
}

# NULL while somebody writes, or where a writer was ended.
index_version <- function(store) {
  path <- index_path(store)
  if (!isTRUE(file.size(path) > 100) || any(file.exists(paste0(path, c("-journal", "-wal"))))) {
    return(NULL)
  }
  counted <- readBin(path, "raw", 100)[25:28]
  paste(file.size(path), format(as.numeric(file.mtime(path)), digits = 15),
    paste(counted, collapse = ""))
}
