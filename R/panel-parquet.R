# A Parquet file in pieces. The reader takes whole files, so some consecutive row groups are
# cut out as a file of their own: their bytes as they are, and the footer with the other
# groups left out and places moved. The footer is a Thrift compact structure (Apache Parquet
# and Thrift specifications); it is read into nested lists of (id, type, value) and written
# back, so that fields that are not known here stay as they are.

# Rows that make a piece, at least.
piece_table_rows <- 5e5

parquet_source <- function(file, columns) {
  check_package("nanoparquet", "reads Parquet files")
  names <- parquet_names(file)
  check_source_columns(columns, names, file)
  # A footer that is not what it should be ends in any error of R's.
  told <- function(cnd) {
    if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
    stop_broken_parquet(file, "Its footer is not what it should be.")
  }
  tryCatch({
    footer <- parquet_footer(file)
    groups <- field_of(footer, 4)$value$items
    rows <- vapply(groups, function(group) field_of(group, 3)$value, 0)
    spans <- vapply(groups, function(group) group_span(list(group)), numeric(2))
  }, error = told)
  if (any(spans[1, ] < 4 | spans[2, ] > file.size(file) | spans[1, ] >= spans[2, ]) || any(rows < 0)) told(NULL)
  piece_of <- cumsum(rows) %/% piece_table_rows
  pieces <- unname(split(seq_along(groups), piece_of))
  state <- new.env(parent = emptyenv())
  state$at <- 0L
  cut <- tempfile("piece-", fileext = ".parquet")
  list(
    next_piece = function() {
      if (state$at >= length(pieces)) return(NULL)
      state$at <- state$at + 1L
      mine <- pieces[[state$at]]
      tryCatch(write_row_groups(file, footer, mine, cut), error = told)
      piece <- plain_data_frame(read_parquet_file(cut, intersect(names, columns)))
      if (nrow(piece) != sum(rows[mine])) stop_not_a_table(file, "Its row groups are not what its footer says.")
      piece
    },
    close = function() unlink(cut), words = sQuote(file, FALSE)
  )
}

parquet_names <- function(file) {
  schema <- read_with_care(function() nanoparquet::read_parquet_schema(file), file)
  schema$name[is.na(schema$num_children) | schema$num_children == 0]
}

read_parquet_file <- function(file, columns = NULL) {
  check_package("nanoparquet", "reads Parquet files")
  read_with_care(function() nanoparquet::read_parquet(file, col_select = columns), file)
}

# Elsewhere first, and then here.
read_with_care <- function(read, file) {
  tried <- tried_elsewhere(read, file)
  if (is.null(tried)) stop_broken_parquet(file, "The reader does not survive it.")
  if (!isTRUE(tried)) stop_broken_parquet(file, tried)
  tryCatch(read(), error = function(cnd) stop_broken_parquet(file, conditionMessage(cnd)))
}

stop_broken_parquet <- function(file, why) {
  stop_not_a_table(file, sub(" @ lib/.*", "", why), "Its bytes are damaged, or no Parquet: write it anew.")
}

# A broken file may end the process that reads it. So a child of it, or where there are none a process
# beside it, reads it first: TRUE where that went well, the error's words, or NULL where it died.
tried_elsewhere <- function(read, file) {
  try_it <- function() {
    tryCatch({
      read()
      TRUE
    }, error = function(cnd) conditionMessage(cnd))
  }
  if (.Platform$OS.type != "windows") {
    seconds <- 60 + ceiling(file.size(file) / 1e6)
    child <- parallel::mcparallel({
      core_expendable(as.integer(min(seconds, 1e6)))
      try_it()
    }, silent = TRUE, mc.set.seed = FALSE)
    return(suppressWarnings(parallel::mccollect(child)[[1]]))
  }
  shelf <- tempfile(c("read-", "read-"), fileext = c(".rds", ".rds"))
  on.exit(unlink(shelf))
  saveRDS(try_it, shelf[1])
  call <- sprintf("saveRDS(readRDS(%s)(), %s)", code_text(shelf[1]), code_text(shelf[2]))
  system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", shQuote(call)), stdout = FALSE, stderr = FALSE)
  if (file.exists(shelf[2])) readRDS(shelf[2])
}

# The last eight bytes are the footer's length and the word PAR1.
parquet_footer <- function(file) {
  size <- file.size(file)
  connection <- base::file(file, "rb")
  on.exit(close(connection))
  seek(connection, size - 8)
  length <- readBin(connection, "integer", 1, size = 4, endian = "little")
  if (is.na(length) || length < 1 || length > size - 12) stop_broken_parquet(file, "Its footer lies outside it.")
  seek(connection, size - 8 - length)
  reader <- new.env(parent = emptyenv())
  reader$bytes <- as.integer(readBin(connection, "raw", length))
  reader$at <- 0L
  read_struct(reader)
}

field_of <- function(struct, id) Find(function(field) field$id == id, struct)

set_field <- function(struct, id, value) {
  lapply(struct, function(field) {
    if (field$id == id) field$value <- value
    field
  })
}

# File offsets of a row group's column chunks: ColumnChunk 2, its ColumnMetaData (3) 9 to 11 and
# 14; indexes that lie elsewhere in the file (ColumnChunk 4 to 7) are left out.
move_group <- function(group, by) {
  move <- function(struct, ids) {
    lapply(struct, function(field) {
      if (field$id %in% ids) field$value <- max(0, field$value - by)
      field
    })
  }
  columns <- field_of(group, 1)$value
  columns$items <- lapply(columns$items, function(chunk) {
    chunk <- Filter(function(field) field$id <= 3, chunk)
    meta <- Filter(function(field) field$id != 14 && field$id != 15, field_of(chunk, 3)$value)
    set_field(move(chunk, 2), 3, move(meta, 9:11))
  })
  move(set_field(group, 1, columns), 5)
}

# Where the bytes of row groups begin and end.
group_span <- function(groups) {
  spans <- vapply(groups, function(group) {
    ends <- vapply(field_of(group, 1)$value$items, function(chunk) {
      meta <- field_of(chunk, 3)$value
      places <- unlist(lapply(c(9, 11), function(id) field_of(meta, id)$value))
      start <- min(places[places > 0])
      c(start, start + field_of(meta, 7)$value)
    }, numeric(2))
    c(min(ends[1, ]), max(ends[2, ]))
  }, numeric(2))
  c(min(spans[1, ]), max(spans[2, ]))
}

write_row_groups <- function(file, footer, which, to) {
  list <- field_of(footer, 4)$value
  groups <- list$items[which]
  span <- group_span(groups)
  list$items <- lapply(groups, move_group, by = span[1] - 4)
  footer <- set_field(footer, 4, list)
  footer <- set_field(footer, 3, sum(vapply(groups, function(group) field_of(group, 3)$value, 0)))
  from <- base::file(file, "rb")
  on.exit(close(from))
  seek(from, span[1])
  bytes <- struct_bytes(footer)
  mark <- charToRaw("PAR1")
  size <- writeBin(length(bytes), raw(), size = 4, endian = "little")
  write_bytes(list(mark, readBin(from, "raw", span[2] - span[1]), bytes, size, mark), to)
}

# ---- Thrift compact protocol ----
# Types: 1 true, 2 false, 3 byte, 4 to 6 whole numbers, 7 double, 8 bytes, 9 list, 12 struct.

next_byte <- function(reader) {
  reader$at <- reader$at + 1L
  reader$bytes[reader$at]
}

# Seven bits a byte, the lowest first; doubles hold them up to 2^53.
read_number <- function(reader) {
  value <- 0
  scale <- 1
  repeat {
    byte <- next_byte(reader)
    value <- value + (byte %% 128) * scale
    if (byte < 128) return(value)
    scale <- scale * 128
  }
}

read_signed <- function(reader) {
  number <- read_number(reader)
  if (number %% 2 == 0) number / 2 else -(number + 1) / 2
}

read_value <- function(reader, type) {
  take <- function(count) {
    force(count) # which may itself read on
    stopifnot(count >= 0, count <= length(reader$bytes) - reader$at)
    reader$at <- reader$at + count
    reader$bytes[reader$at - count + seq_len(count)]
  }
  switch(as.character(type),
    "1" = TRUE, "2" = FALSE, "3" = next_byte(reader), "4" = , "5" = , "6" = read_signed(reader), "7" = take(8),
    "8" = take(read_number(reader)), "9" = read_list(reader), "12" = read_struct(reader),
    stop_pieces("The Parquet file's footer has a part that is not known here.",
                "Read it whole with `read_panel()`, or write it as CSV.")
  )
}

read_struct <- function(reader) {
  fields <- list()
  id <- 0
  repeat {
    header <- next_byte(reader)
    if (header == 0) return(fields)
    step <- header %/% 16
    id <- if (step == 0) read_signed(reader) else id + step
    type <- header %% 16
    fields[[length(fields) + 1L]] <- list(id = id, type = type, value = read_value(reader, type))
  }
}

read_list <- function(reader) {
  header <- next_byte(reader)
  count <- header %/% 16
  if (count == 15) count <- read_number(reader)
  type <- header %% 16
  stopifnot(count <= length(reader$bytes))
  items <- lapply(seq_len(count), function(i) if (type <= 2) next_byte(reader) else read_value(reader, type))
  list(type = type, items = items)
}

number_bytes <- function(value) {
  out <- integer()
  while (value >= 128) {
    out <- c(out, value %% 128 + 128)
    value <- value %/% 128
  }
  c(out, value)
}

signed_bytes <- function(value) number_bytes(if (value >= 0) 2 * value else -2 * value - 1)

value_bytes <- function(type, value) {
  switch(as.character(type),
    "1" = , "2" = integer(), "3" = value, "4" = , "5" = , "6" = signed_bytes(value), "7" = value,
    "8" = c(number_bytes(length(value)), value), "9" = list_bytes(value), "12" = as.integer(struct_bytes(value))
  )
}

struct_bytes <- function(fields) {
  before <- 0
  parts <- lapply(fields, function(field) NULL)
  for (f in seq_along(fields)) {
    field <- fields[[f]]
    step <- field$id - before
    head <- if (step >= 1 && step <= 15) 16 * step + field$type else c(field$type, signed_bytes(field$id))
    parts[[f]] <- c(head, value_bytes(field$type, field$value))
    before <- field$id
  }
  as.raw(c(unlist(parts), 0))
}

list_bytes <- function(list) {
  count <- length(list$items)
  head <- if (count < 15) 16 * count + list$type else c(240 + list$type, number_bytes(count))
  items <- lapply(list$items, function(item) if (list$type <= 2) item else value_bytes(list$type, item))
  c(head, unlist(items))
}
