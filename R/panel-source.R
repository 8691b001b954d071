# Tables read in pieces: a source is a list of
#   next_piece()   the next data frame, NULL at the end
#   close()        forgets what is open
#   words          what it is, for messages

# Bytes of a text file that make a piece.
piece_bytes <- 1.6e7
is_source <- function(data) is.function(data) || is_one_text(data)

# `columns` are all that is wanted.
open_source <- function(data, columns) {
  if (is.function(data)) return(function_source(data))
  check_file(data)
  switch(file_extension(data), parquet = parquet_source(data, columns), csv_source(data, columns))
}

function_source <- function(read) {
  list(
    next_piece = function() {
      piece <- tryCatch(read(), error = function(cnd) {
        if (inherits(cnd, "wavetax_error")) rlang::cnd_signal(cnd)
        stop_pieces("The function that gives the pieces failed.", conditionMessage(cnd))
      })
      if (is.null(piece)) return(NULL)
      if (!is.data.frame(piece)) {
        stop_pieces(sprintf("The function gave %s, not a data frame.", value_words(piece)),
                    "At each call it gives a data frame, and NULL at the end.")
      }
      plain_data_frame(piece)
    },
    close = function() NULL, words = "the function"
  )
}

# Blocks of bytes cut at the ends of records, each read as a table under the file's header. An end
# of line within quotes ends no record.
csv_source <- function(file, columns) {
  state <- new.env(parent = emptyenv())
  state$connection <- base::file(file, "rb")
  opened <- FALSE
  on.exit(if (!opened) close(state$connection))
  state$rest <- raw()
  state$ended <- FALSE
  header <- next_records(state, file, first_only = TRUE)
  block_file <- tempfile("piece-", fileext = ".csv")
  # The heading stands for a row too: alone, one with a line break in it is not always understood.
  again <- if (identical(utils::tail(header, 1), charToRaw("\n"))) header
  write_bytes(list(header, again), block_file)
  names <- names(read_text_table(block_file, file, nrows = 1, header = TRUE, heading = TRUE))
  check_source_columns(columns, names, file)
  columns <- intersect(names, columns)
  opened <- TRUE
  list(
    next_piece = function() {
      records <- next_records(state, file)
      if (length(records) == 0) return(NULL)
      write_bytes(list(header, records), block_file)
      read_text_table(block_file, file, select = columns, na.strings = c("", "NA"), header = TRUE, showProgress = FALSE)
    },
    close = function() {
      close(state$connection)
      unlink(block_file)
    },
    words = sQuote(file, FALSE)
  )
}

# The bytes of the next whole records, or of the first alone; none at the end.
most_blocks <- 64
next_records <- function(state, file, first_only = FALSE) {
  bytes <- state$rest
  for (block in seq_len(most_blocks)) {
    if (!state$ended && (block > 1 || !first_only || length(bytes) == 0)) {
      more <- readBin(state$connection, "raw", if (first_only) 65536 else piece_bytes)
      state$ended <- length(more) == 0
      if (length(grepRaw(as.raw(0), more, fixed = TRUE)) > 0) stop_no_text(file)
      bytes <- c(bytes, more)
    }
    end <- record_end(bytes, first_only)
    if (end > 0) {
      state$rest <- if (end < length(bytes)) bytes[(end + 1):length(bytes)] else raw()
      return(without_mark(bytes[seq_len(end)], first_only))
    }
    if (state$ended) {
      state$rest <- raw()
      if (length(bytes) > 0 && sum(bytes == as.raw(34L)) %% 2 == 1) stop_open_quote(file)
      if (first_only && length(bytes) > 0) bytes <- c(bytes, as.raw(10L))
      return(without_mark(bytes, first_only))
    }
  }
  stop_open_quote(file)
}

stop_open_quote <- function(file) {
  stop_not_a_table(file, "A quote is opened and not closed before the file ends, or for a very long stretch.")
}

# The mark that some programs put before UTF-8 text.
without_mark <- function(bytes, first_only) {
  mark <- as.raw(c(0xef, 0xbb, 0xbf))
  if (first_only && length(bytes) > 3 && identical(bytes[1:3], mark)) bytes[-(1:3)] else bytes
}

# Where the last (or first) record of some bytes that begin with one ends: at an end of line with
# an even count of quotes before it. 0 where there is none.
record_end <- function(bytes, first_only) {
  ends <- which(bytes == as.raw(10L))
  quotes <- if (length(grepRaw(as.raw(34L), bytes, fixed = TRUE)) > 0) which(bytes == as.raw(34L))
  if (length(quotes) > 0) ends <- ends[findInterval(ends, quotes) %% 2 == 0]
  if (length(ends) == 0) 0 else if (first_only) ends[1] else ends[length(ends)]
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
