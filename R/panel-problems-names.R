# Faults of the names of entities.

# Spellings that differ only in case, spaces, signs or accents, in one finding with each group; names one
# or two letters apart with no period in common, one by one. Names that differ in a digit are different.
problem_names <- function(keys) {
  names <- keys$entities
  if (!is.character(names) || length(names) < 2) return(NULL)
  bare <- bare_name(names)
  c(list(problem_spellings(keys, bare)), problem_near_names(keys, bare))
}

problem_spellings <- function(keys, bare) {
  size <- tabulate(keys$codes, length(keys$entities))
  groups <- spelling_groups(keys$entities, size, bare)
  if (length(groups) == 0) return(NULL)
  count <- function(name) sprintf("%s (%s)", code_text(name), count_of(size[match(name, keys$entities)], "row"))
  shown <- vapply(groups, function(group) list_words(vapply(c(group$name, group$others), count, "")), "")
  rows <- which(keys$codes %in% match(unlist(lapply(groups, `[[`, "others")), keys$entities))
  finding(
    "one name two ways", "likely",
    sprintf("%s; differing in case, spaces, marks or accents only",
            paste(c(utils::head(shown, 5), if (length(shown) > 5) sprintf("and %d more", length(shown) - 5L)),
                  collapse = "; ")),
    if (length(groups) == 1 && length(groups[[1]]$others) == 1) {
      sprintf("Write each as the commonest: `names = \"tidy\"`, or `names = %s`.",
              code_texts(stats::setNames(groups[[1]]$name, groups[[1]]$others)))
    } else {
      "Write each as the commonest: `names = \"tidy\"`."
    },
    rows, keys$entity
  )
}

# Groups of spellings: the commonest, and the others.
spelling_groups <- function(names, size = NULL, bare = NULL) {
  if (is.null(size)) {
    all <- names
    names <- sort_text(unique(all))
    size <- tabulate(match(all, names), length(names))
  }
  if (is.null(bare)) bare <- bare_name(names)
  shared <- which(bare %in% bare[duplicated(bare)] & nzchar(bare) & size > 0)
  groups <- split(shared, factor(bare[shared], sort_text(unique(bare[shared]))))
  groups <- groups[lengths(groups) > 1]
  lapply(unname(groups), function(group) {
    group <- group[order(-size[group], names[group], method = "radix")]
    list(name = names[group[1]], others = names[group[-1]])
  })
}

problem_near_names <- function(keys, bare) {
  names <- keys$entities
  pairs <- near_pairs(bare)
  if (is.null(pairs) || nrow(pairs) == 0) return(NULL)
  seen <- split(keys$clock, factor(keys$codes, seq_along(names)))
  apart <- mapply(function(a, b) length(intersect(seen[[a]], seen[[b]])) == 0, pairs[, 1], pairs[, 2])
  lapply(which(apart), function(p) {
    pair <- pairs[p, ]
    size <- lengths(seen)[pair]
    common <- names[pair[which.max(size)]]
    rare <- names[pair[which.min(size)]]
    if (common == rare) rare <- names[pair[2]]
    rows <- which(keys$codes == match(rare, names))
    finding(
      "one name two ways", "likely",
      sprintf("%s (%s) and %s (%s), never in one period", code_text(common), count_of(max(size), "row"),
              code_text(rare), count_of(min(size), "row")),
      sprintf("If they are one: `names = %s`.", code_texts(stats::setNames(common, rare))), rows, keys$entity
    )
  })
}

# A name without case, accents, spaces and marks, the same in every locale.
bare_name <- function(x) {
  x <- enc2utf8(x)
  odd <- which(grepl("[^ -~]", x, perl = TRUE, useBytes = TRUE))
  x[odd] <- vapply(x[odd], plain_letters, "", USE.NAMES = FALSE)
  gsub("[ -/:-@\\[-`{-~]+", "", lower_case(x), perl = TRUE)
}

# Latin letters without what is above, below and through them; other letters stay.
plain_letters <- function(text) {
  if (is.na(text) || !validUTF8(text)) return(text)
  points <- utf8ToInt(text)
  signs <- intToUtf8(points, multiple = TRUE)
  for (plain in names(letters_with_marks)) signs[points %in% letters_with_marks[[plain]]] <- plain
  signs[points %in% c(160, 180, 768:879, 8192:8231, 8239, 12288, 65279)] <- ""
  paste(signs, collapse = "")
}

letters_with_marks <- list(
  a = c(192:197, 224:229, 256:261), ae = c(198, 230), c = c(199, 231, 262:269), d = c(208, 240, 270:273),
  e = c(200:203, 232:235, 274:283), g = 284:291, h = 292:295, i = c(204:207, 236:239, 296:305), j = 308:309,
  k = 310:312, l = 313:322, n = c(209, 241, 323:329), o = c(210:214, 216, 242:246, 248, 332:337), oe = 338:339,
  r = 340:345, s = c(346:353, 536, 537), ss = 223, t = c(354:359, 538, 539), th = c(222, 254),
  u = c(217:220, 249:252, 360:371), w = 372:373, y = c(221, 253, 255, 374:376), z = 377:382
)

# Pairs within one letter (long names two): names that become equal when letters are
# deleted are the candidates, so that thousands of names need no all-pairs comparison.
near_pairs <- function(bare) {
  digits <- gsub("[^0-9]+", "", bare, perl = TRUE)
  long <- which(nchar(bare) >= 5 & digits %in% digits[duplicated(digits)])
  if (length(long) < 2) return(NULL)
  deletes <- lapply(long, function(i) c(bare[i], without_one(bare[i])))
  owner <- rep(long, lengths(deletes))
  groups <- split(owner, unlist(deletes))
  groups <- groups[lengths(groups) > 1 & lengths(groups) < 20]
  pairs <- unique(do.call(rbind, lapply(unname(groups), function(g) {
    g <- sort(unique(g))
    if (length(g) > 1) t(utils::combn(g, 2))
  })))
  if (is.null(pairs)) return(NULL)
  differ <- bare[pairs[, 1]] != bare[pairs[, 2]]
  pairs[differ & digits[pairs[, 1]] == digits[pairs[, 2]], , drop = FALSE]
}

without_one <- function(word) {
  letters <- strsplit(word, "")[[1]]
  vapply(seq_along(letters), function(i) paste(letters[-i], collapse = ""), "")
}
