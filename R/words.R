# Words and counts that messages and printed results share.

count_words <- function(n) formatC(n, format = "d", big.mark = ",")

# "1 row", "1,012 rows"
count_of <- function(n, noun) {
  paste(count_words(n), if (n == 1) noun else plural_of(noun))
}

# Plural of a plain lower-case English word; a column name that is not one stays.
plural_of <- function(noun) {
  if (!grepl("^[a-z ]*[a-z]{2}$", noun)) return(noun)
  if (grepl("[^aeiou]y$", noun)) return(sub("y$", "ies", noun))
  if (grepl("(s|x|z|ch|sh)$", noun)) return(paste0(noun, "es"))
  paste0(noun, "s")
}

# "appears" for one, "appear" for more
verb <- function(n, word) if (n == 1) paste0(word, "s") else word

# "a", "a and b", "a, b and c"
list_words <- function(x) {
  x <- as.character(x)
  n <- length(x)
  if (n < 2) return(paste(x))
  paste(paste(x[-n], collapse = ", "), "and", x[n])
}

# The first few, and how many more there are.
list_some <- function(x, show = 3) {
  x <- as.character(x)
  if (length(x) <= show + 1) return(list_words(x))
  paste0(paste(x[seq_len(show)], collapse = ", "), ", and ", count_words(length(x) - show), " more")
}

# "is text", for a column that should be something else
kind_words <- function(x) if (is.character(x)) "text" else paste("of class", class(x)[1])

row_words <- function(rows, show = 3) {
  if (length(rows) == 1) return(paste("row", count_words(rows)))
  paste("rows", list_some(count_words(rows), show))
}

deparse_words <- function(call) {
  paste(trimws(deparse(call, width.cutoff = 500L, backtick = !is.symbol(call))), collapse = " ")
}
