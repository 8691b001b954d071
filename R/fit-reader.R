# One reading of a source in pieces.

# One reading of the source: step(total, design) for each piece in turn.
fold_pieces <- function(reader, total, step) {
  source <- open_source(reader$from, reader$columns)
  on.exit(source$close())
  kinds <- NULL
  repeat {
    piece <- source$next_piece()
    if (is.null(piece)) return(total)
    if (nrow(piece) == 0) next
    kinds <- check_same_kinds(kinds, piece[intersect(reader$columns, names(piece))], source$words)
    design <- piece_design(piece, reader)
    if (!is.null(design)) total <- step(total, design)
  }
}

# A piece's design, or NULL where no row of it is complete.
piece_design <- function(piece, reader) {
  design <- tryCatch(
    build_design(reader$formula, piece, reader$weights, also = c(effect_columns(reader$sets), reader$by),
                 absorbs_constant = !is.null(reader$sets), rows = reader$rows, in_pieces = TRUE),
    wavetax_error_no_rows = function(cnd) NULL
  )
  if (!is.null(design) && length(design$blueprint$xlevels) > 0) {
    stop_pieces(sprintf("`%s` holds categories, which differ from piece to piece.", names(design$blueprint$xlevels)[1]),
                "Categories can be effects: `effects = ~ id + kind`.")
  }
  design
}

# Codes of x among the values known so far, in order of appearance: list(codes, known).
code_values <- function(known, x) {
  if (is.factor(x)) x <- as.character(x)
  codes <- match(x, known)
  unknown <- which(is.na(codes))
  if (length(unknown) > 0) {
    new <- unique(x[unknown])
    codes[unknown] <- length(known) + match(x[unknown], new)
    known <- c(known, new)
  }
  list(codes = codes, known = known)
}

stop_other_rows <- function(first, second) {
  stop_pieces(
    sprintf("The source gave %s the first time and %s the second.", count_of(first, "row"), count_words(second)),
    c("A function must start again after it has given NULL.", "`errors = se_classical()` reads it once.")
  )
}
