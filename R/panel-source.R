# Tables read in pieces: a source is a list of
#   next_piece()   the next data frame, NULL at the end
#   close()        forgets what is open
#   words          what it is, for messages

# Bytes of a text file that make a piece.
piece_bytes <- 1.6e7
is_source <- function(data) is.function(data) || (is.character(data) && length(data) == 1)

# `columns` are all that is wanted.
open_source <- function(data, columns) {
  if (is.function(data)) return(function_source(data))
  check_file(data)
  switch(file_extension(data), parquet = parquet_source(data, columns), csv_source(data, columns))
}

function_source <- function(read) {
  list(
    next_piece = function() {
      piece <- read()
      if (is.null(piece)) return(NULL)
      check_is_table(piece)
      plain_data_frame(piece)
    },
    close = function() NULL, words = "the function"
  )
}

# Blocks of bytes cut at the ends of lines, each read as a table under the file's header.
csv_source <- function(file, columns) {
  header <- sub("^\ufeff", "", readLines(file, 1, warn = FALSE, encoding = "UTF-8"))
  names <- names(data.table::fread(text = paste0(header, "\n"), nrows = 0))
  check_source_columns(columns, names, file)
  columns <- intersect(names, columns)
  state <- new.env(parent = emptyenv())
  state$connection <- base::file(file, "rb")
  readLines(state$connection, 1, warn = FALSE)
  state$rest <- raw()
  block_file <- tempfile("piece-", fileext = ".csv")
  header <- c(charToRaw(enc2utf8(header)), as.raw(10L))
  list(
    next_piece = function() {
      block <- readBin(state$connection, "raw", piece_bytes)
      if (length(block) + length(state$rest) == 0) return(NULL)
      last <- last_line_end(block)
      # Without an end of line the block is the file's last; otherwise what follows it waits.
      after <- if (last > 0 && last < length(block)) block[(last + 1):length(block)] else raw()
      whole <- if (length(after) > 0) block[seq_len(last)] else block
      write_block(list(header, state$rest, whole), block_file)
      state$rest <- after
      read_block(block_file, columns, file)
    },
    close = function() {
      close(state$connection)
      unlink(block_file)
    },
    words = sQuote(file, FALSE)
  )
}

# Where the last whole line of a block ends; 0 where there is no end of a line.
last_line_end <- function(block) {
  from <- length(block)
  while (from > 0) {
    to <- max(1, from - 65535)
    ends <- which(block[to:from] == as.raw(10L))
    if (length(ends) > 0) return(to - 1 + max(ends))
    from <- to - 1
  }
  0
}

write_block <- function(parts, file) {
  connection <- base::file(file, "wb")
  on.exit(close(connection))
  for (part in parts) writeBin(part, connection)
}

read_block <- function(block_file, columns, file) {
  tryCatch(
    withCallingHandlers(
      data.table::fread(file = block_file, select = columns, data.table = FALSE, showProgress = FALSE,
                        na.strings = c("", "NA"), integer64 = "double", logical01 = FALSE, header = TRUE),
      warning = function(cnd) stop_not_a_table(file, conditionMessage(cnd))
    ),
    error = function(cnd) {
      if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
      stop_not_a_table(file, conditionMessage(cnd))
    }
  )
}

check_source_columns <- function(wanted, names, file) {
  absent <- setdiff(wanted, names)
  if (length(absent) == 0) return(invisible())
  near <- unlist(lapply(absent, near_names, names))
  stop_wavetax(
    "unknown_column", sprintf("The file %s has no column %s.", sQuote(file, FALSE),
                              list_words(sQuote(absent, FALSE))),
    todo = c(
      if (length(near) > 0) sprintf("Did you mean %s?", list_words(sQuote(unique(near), FALSE))),
      sprintf("Its columns are %s.", list_some(names, 8))
    )
  )
}

# Whole numbers in one piece may have decimals in the next; text may not become numbers.
check_same_kinds <- function(kinds, piece, what) {
  mine <- vapply(piece, function(x) if (all(is.na(x))) NA_character_ else if (is.numeric(x)) "numbers" else "text", "")
  if (is.null(kinds)) return(mine)
  if (!identical(names(kinds), names(mine))) {
    stop_pieces(sprintf("A piece of %s has the columns %s, the first had %s.", what, list_some(names(mine), 8),
                        list_some(names(kinds), 8)))
  }
  changed <- which(kinds != mine)
  if (length(changed) > 0) {
    name <- names(mine)[changed[1]]
    stop_pieces(sprintf("`%s` is %s in one piece of %s and %s in another.", name, kinds[[name]], what, mine[[name]]),
                "Find the odd cells: `panel_problems()` on those rows names them.")
  }
  ifelse(is.na(kinds), mine, kinds)
}

stop_pieces <- function(found, todo = NULL) stop_wavetax("pieces", found, todo = todo)
