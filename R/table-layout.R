# How a table value stands in a document, whatever its format: what the writers of documents share. A list of
#   title, says, notes   texts, whole sentences
#   stub, heads, over    the heads; `over` a data frame with a row a run of columns under one head: head, from, to
#   lines    a data frame with a row a line: kind ("part", "term", "below", "fact" or "row"), label, depth, said (what
# a line
#            with a unit or nothing for its label is, for who hears it)
#   cells    by column a data frame with an element a line: words, mark (a sign behind),
#            places (decimals that are shown), place: "point" for
#            what stands on the decimal point, "edge" for the column's right edge, "left" for words
#   values   by column the cells of the table value
#   places   by column the most decimals of a cell on the point
# Rows that are marked as said are told by `says`. What stands beneath is named once, in `says`, and its line has the
# unit; where several stand beneath each has its name.
table_layout <- function(table) {
  told <- table$rows$mark == "said"
  table$cells <- lapply(table$cells, cells_at, !told)
  rows <- table$rows[!told, ]
  below <- rows$role == "beneath"
  own <- which(!below)[pmax(1, cumsum(!below))]
  single <- any(below) && !anyDuplicated(own[below]) && length(unique(rows$label[below])) == 1
  label <- if (single) rows$label else whole_label(rows$label, rows$unit)
  if (single) label[below] <- rows$unit[own[below]]
  said <- ifelse(below & single, paste0(rows$label[own], ", ", rows$label), "")
  cells <- lapply(seq_len(nrow(table$columns)), function(j) {
    words <- cells_as_text(table$cells[[j]], minus = "\u2212", marks = FALSE)
    pointed <- has_decimals(table$cells[[j]]) & grepl("^[<\u2212]?[0-9,]*\\.[0-9]+$", words)
    data.frame(words = words, places = ifelse(pointed, nchar(sub("^[^.]*\\.", "", words)), 0),
               mark = mark_of(table$cells[[j]]),
               number = is_number_cell(table$cells[[j]]) & !grepl("[e ]", words))
  })
  names(cells) <- table$columns$key
  # Whole numbers of a row of facts stand at the edge where none has decimals; of other rows always on their units.
  on_point <- Reduce(`|`, lapply(cells, function(one) one$places > 0), rows$role == "row")
  for (j in seq_along(cells)) {
    cells[[j]]$place <- if (table$columns$form[j] != "right") "left" else
      ifelse(on_point & cells[[j]]$number, "point", "edge")
    cells[[j]]$number <- NULL
  }
  list(
    title = if (is.null(table$title)) "" else table$title, says = as_sentences(table$says),
    notes = as_sentences(table$notes$text), stub = table$stub, heads = table$columns$head,
    over = head_runs(table$columns$over),
    lines = data.frame(kind = unname(line_kinds[rows$role]), label = paste0(mark_words(rows$mark), label),
                       depth = rows$depth - below, said = said),
    values = table$cells, cells = cells, places = vapply(cells, function(one) max(0, one$places), 0)
  )
}

line_kinds <- c(row = "row", estimate = "term", beneath = "below", fact = "fact", span = "part")

is_number_cell <- function(cells) has_decimals(cells) | cells$kind == "count" & !nzchar(cells$text)

# Past so many columns a document sets them closer and smaller, past more it turns the page.
most_upright <- c(close = 8, turned = 10)

# Sentences, which break into lines.
is_prose <- function(cell) any(nchar(cell$words) > 40)
