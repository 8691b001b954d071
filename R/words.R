# Words and counts that messages and printed results share.

count_words <- function(n) formatC(n, format = "d", big.mark = ",", decimal.mark = ".")

# "1 row", "1,012 rows"
count_of <- function(n, noun) {
  if (n == 1 || is_word(noun)) return(paste(count_words(n), if (n == 1) noun else plural_of(noun)))
  paste(count_words(n), "values of", noun)
}

# A plain English word, not a name such as `t` or `firm_id`.
is_word <- function(noun) grepl("^[A-Za-z][a-z ]*[a-z]$", noun)

# Plural of a plain English word; a column name that is not one stays.
plural_of <- function(noun) {
  if (!is_word(noun)) return(noun)
  if (grepl("[^aeiou]y$", noun)) return(sub("y$", "ies", noun))
  if (grepl("(s|x|z|ch|sh)$", noun)) return(paste0(noun, "es"))
  paste0(noun, "s")
}

# Within a sentence: not where a name or letters that stand for words begin it.
lower_first <- function(x) ifelse(grepl("^[A-Z][a-z]", x), paste0(lower_case(substr(x, 1, 1)), substring(x, 2)), x)

upper_first <- function(x) paste0(upper_case(substr(x, 1, 1)), substring(x, 2))

# Case and order by the signs themselves: those of the locale differ from one to the next, and a Turkish one
# knows no pair of I and i.
lower_case <- function(x) change_case(x, paste(LETTERS, collapse = ""), paste(letters, collapse = ""), capitals, smalls)
upper_case <- function(x) change_case(x, paste(letters, collapse = ""), paste(LETTERS, collapse = ""), smalls, capitals)

# Of the Latin, Greek and Cyrillic letters beyond ASCII.
capitals <- c(192:214, 216:222, seq(256, 302, 2), seq(306, 310, 2), seq(313, 327, 2), seq(330, 374, 2), 377, 379, 381,
              376, 902, 904:906, 913:929, 931:939, 1024:1071)
smalls <- c(224:246, 248:254, seq(257, 303, 2), seq(307, 311, 2), seq(314, 328, 2), seq(331, 375, 2), 378, 380, 382,
            255, 940, 941:943, 945:961, 963:971, 1104:1119, 1072:1103)

change_case <- function(x, from, to, from_points, to_points) {
  x <- chartr(from, to, as_utf8_text(x))
  odd <- which(grepl("[^ -~]", x, useBytes = TRUE) & validUTF8(x) & !is.na(x))
  x[odd] <- vapply(x[odd], function(text) {
    points <- utf8ToInt(text)
    at <- match(points, from_points)
    points[!is.na(at)] <- to_points[at[!is.na(at)]]
    intToUtf8(points)
  }, "", USE.NAMES = FALSE)
  x
}

sort_text <- function(x) sort(x, method = "radix")

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

article_of <- function(word) ifelse(grepl("^[aeiou]", word), "an", "a")

# "a harbour", "an id"
one_of_a <- function(noun) paste(article_of(noun), noun)

# "is text", for a column that should be something else
kind_words <- function(x) if (is.character(x)) "text" else paste("of class", class(x)[1])

row_words <- function(rows, show = 3) {
  if (length(rows) == 1) return(paste("row", count_words(rows)))
  paste("rows", list_first(rows, count_words, show))
}

# list_some() of very many, of which only those that are shown are put into words.
list_first <- function(x, words, show = 3) {
  said <- if (length(x) > show + 1) utils::head(x, show) else x
  list_some(c(words(said), rep("", length(x) - length(said))), show)
}

deparse_words <- function(call) {
  # The names of the constant and of a drift are theirs alone.
  if (is.symbol(call) &&
      as.character(call) %in% c("(Intercept)", "(Drift)")) return(sprintf("`%s`", as.character(call)))
  lines <- deparse(call, width.cutoff = 500L, backtick = !is.symbol(call))
  if (length(lines) == 1) lines else paste(trimws(lines), collapse = " ")
}

# A number with a point, whatever the session's options.
fixed_decimals <- function(x, digits) {
  sub("^-(0\\.?0*)$", "\\1", formatC(x, format = "f", digits = digits, decimal.mark = ".", big.mark = ""))
}

# "p = 0.034" or "p < 0.001", for running text.
p_words <- function(p) {
  if (is.na(p)) return("no p value")
  if (p < 0.001) "p < 0.001" else paste("p =", fixed_decimals(p, 3))
}

# Labels of groups and periods as text, whatever the session's options: numbers with all their
# digits, other kinds as they print.
label_text <- function(x) {
  if (is.character(x)) return(x)
  if (is.factor(x)) return(as.character(x))
  if (is.integer(x) && !is.object(x)) return(formatC(x, format = "d", width = 1))
  if (is.double(x) && !is.object(x)) {
    whole <- is.finite(x) & x == trunc(x) & abs(x) < 1e15
    out <- as.character(x)
    out[is.finite(x) & !whole] <- formatC(x[is.finite(x) & !whole], digits = 15, format = "g", width = 1,
                                          decimal.mark = ".")
    out[whole] <- formatC(x[whole], digits = 0, format = "f", width = 1)
    return(out)
  }
  trimws(format(x))
}

# Terms by their label, where they have one.
labelled <- function(terms, labels) {
  if (length(labels) == 0) return(terms)
  ifelse(terms %in% names(labels), as.character(labels)[match(terms, names(labels))], terms)
}

# Coefficients as they are printed.
term_words <- function(terms) {
  words <- c("(Intercept)" = "constant", "(Drift)" = "drift")
  known <- terms %in% names(words)
  terms[known] <- words[terms[known]]
  unname(terms)
}

cluster_words <- function(clusters) {
  list_words(vapply(seq_along(clusters), function(d) count_of(clusters[[d]], names(clusters)[d]), ""))
}

sentence_end <- function(text) ifelse(grepl("[.:;!?]$", text), "", ".")

as_sentences <- function(text) paste0(text, sentence_end(text), recycle0 = TRUE)

# "1,046 rows", or from the fewest to the most.
rows_shown <- function(rows) {
  ends <- unique(range(rows))
  if (length(ends) == 1) count_of(ends, "row") else sprintf("%s to %s", count_words(ends[1]), count_of(ends[2], "row"))
}
