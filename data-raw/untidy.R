# Makes the files of inst/extdata/untidy/: one small panel of invented ferry lines, written in the
# layouts and with the faults that files have. Run from the repository's root:
#   Rscript data-raw/untidy.R
# truth.csv is the panel that each of them hides: `line`, `year`, and
#   passengers   in a year
#   fare         crowns a crossing
#   punctual     share of crossings on time
#   crew         people
# README.md tells of each file what is wrong with it.

set.seed(20140401)
folder <- "inst/extdata/untidy"
dir.create(folder, showWarnings = FALSE, recursive = TRUE)
lines <- c("Aldersund", "Brenna Point", "Corrie", "Dunholm", "Eske", "Fjordby")
years <- 2014:2018
truth <- expand.grid(year = years, line = lines, stringsAsFactors = FALSE)[c("line", "year")]
size <- exp(rnorm(length(lines), 7, 1))[match(truth$line, lines)]
truth$fare <- round(runif(nrow(truth), 8, 30), 2)
truth$passengers <- round(size * exp(rnorm(nrow(truth), 0, 0.2) - 0.02 * truth$fare))
truth$punctual <- round(runif(nrow(truth), 0.8, 0.99), 3)
truth$crew <- round(4 + size / 400)
truth <- truth[c("line", "year", "passengers", "fare", "punctual", "crew")]
truth$passengers[c(3, 17)] <- c(845, 1021)

write_rows <- function(rows, file, encoding = "UTF-8") {
  connection <- base::file(file.path(folder, file), "wb")
  on.exit(close(connection))
  text <- paste0(paste(enc2utf8(rows), collapse = "\n"), "\n")
  writeBin(iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]], connection)
}
write_cells <- function(data, file, mark = ",", ..., above = NULL, below = NULL) {
  cell <- function(x) {
    x <- ifelse(is.na(x), "", as.character(x))
    ifelse(grepl(mark, x, fixed = TRUE), paste0("\"", x, "\""), x)
  }
  rows <- do.call(paste, c(unname(lapply(data, cell)), sep = mark))
  write_rows(c(above, paste(cell(names(data)), collapse = mark), rows, below), file, ...)
}
write_book <- function(file, fill) {
  book <- openxlsx::createWorkbook()
  fill(book)
  book$core <- gsub("[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9:]*Z", "2021-01-01T00:00:00Z", book$core)
  openxlsx::saveWorkbook(book, file.path(folder, file), overwrite = TRUE)
}
add <- function(book, sheet, x, row, column = 1, names = FALSE) {
  openxlsx::writeData(book, sheet, x, startCol = column, startRow = row, colNames = names)
}
two <- function(x) sprintf("%.2f", x)
grouped <- function(x, mark) formatC(x, format = "d", big.mark = mark, decimal.mark = if (mark == ".") "," else ".")
by_line <- function(variable) {
  t(matrix(truth[[variable]], length(years), dimnames = list(years, lines)))
}

write_cells(truth, "truth.csv")

# Numbers as people write them
numbers <- truth
numbers$code <- sprintf("%05d", match(truth$line, lines) + 156)
numbers$passengers <- grouped(truth$passengers, ",")
numbers$fare <- paste("kr", two(truth$fare))
numbers$punctual <- sprintf("%.1f%%", 100 * truth$punctual)
numbers$crew[c(4, 20)] <- c("n/a", "..")
write_cells(numbers, "numbers.csv")

continental <- truth
continental$line <- sub("Corrie", "C\u00f4rrie", truth$line)
continental$passengers <- grouped(truth$passengers, ".")
continental$fare <- sub(".", ",", two(truth$fare), fixed = TRUE)
continental$punctual <- sub(".", ",", sprintf("%.3f", truth$punctual), fixed = TRUE)
write_cells(continental, "continental.csv", ";", "latin1")

# Periods as people write them: the years stand for five months, quarters or seasons
write_cells(transform(truth, year = c("31/01/2014", "28/02/2014", "31/03/2014", "30/04/2014", "31/05/2014")),
            "dates.csv")
write_cells(transform(truth, year = c("Nov 2013", "Dec 2013", "Jan 2014", "Feb 2014", "Mar 2014")), "months.csv")
write_cells(transform(truth, year = c(201311, 201312, 201401, 201402, 201403)), "month-numbers.csv")
write_cells(transform(truth, year = c("Q3 2013", "Q4 2013", "Q1 2014", "Q2 2014", "Q3 2014")), "quarters.csv")
write_cells(transform(truth, year = paste0(years, "/", years %% 100 + 1)), "fiscal.csv")

# Layouts
wide <- data.frame(line = lines)
for (one in years) {
  for (variable in c("passengers", "fare")) wide[[paste(one, variable, sep = "_")]] <- by_line(variable)[,
    as.character(one)]
}
write_cells(wide, "wide.csv")
indicators <- do.call(rbind, lapply(c("passengers", "fare"), function(variable) {
  data.frame(line = lines, indicator = variable, by_line(variable), check.names = FALSE)
}))
names(indicators)[-(1:2)] <- sprintf("%d [YR%d]", years, years)
write_cells(indicators, "indicators.csv", above = c("\"Ferry lines, by indicator\"", ""),
            below = c("", "\"Source: invented for trying files\""))
long <- do.call(rbind, lapply(c("passengers", "fare", "crew"), function(variable) {
  data.frame(truth[c("line", "year")], series = variable, reading = truth[[variable]])
}))
write_cells(long[order(long$line, long$year), ], "series.csv")
write_cells(data.frame(year = years, t(by_line("fare")), check.names = FALSE), "across.csv")
for (variable in c("passengers", "fare")) {
  write_cells(data.frame(line = lines, by_line(variable), check.names = FALSE), paste0("one-", variable, ".csv"))
}

# Workbooks
write_book("titled.xlsx", function(book) {
  openxlsx::addWorksheet(book, "Notes")
  add(book, "Notes", c("About these figures", "All of them are invented.", "Passengers are counted at the pier."), 1)
  openxlsx::addWorksheet(book, "Figures")
  add(book, "Figures", "Ferry lines, monthly figures", 1, 2)
  dated <- transform(truth, year = as.Date(sprintf("2014-%02d-01", truth$year - 2013)))
  names(dated)[2] <- "month"
  add(book, "Figures", dated, 4, 2, names = TRUE)
  add(book, "Figures", c("Source: invented for trying files", "Revised since"), nrow(truth) + 6, 2)
})
write_book("headings.xlsx", function(book) {
  openxlsx::addWorksheet(book, "Table 3")
  add(book, "Table 3", "Table 3. Ferry lines by year", 1)
  add(book, "Table 3", t(c("line", rbind(years, NA, NA))), 3)
  add(book, "Table 3", t(rep(c("passengers", "fare", "punctual"), length(years))), 4, 2)
  columns <- lapply(years, function(one) truth[truth$year == one, c("passengers", "fare", "punctual")])
  add(book, "Table 3", cbind(lines, do.call(cbind, columns)), 5)
  openxlsx::mergeCells(book, "Table 3", cols = 1, rows = 3:4)
  for (i in seq_along(years)) openxlsx::mergeCells(book, "Table 3", cols = 3 * i - 1:-1, rows = 3)
})
write_book("merged.xlsx", function(book) {
  openxlsx::addWorksheet(book, "lines")
  shown <- truth
  shown$line[shown$year > min(years)] <- NA
  add(book, "lines", shown, 1, names = TRUE)
  for (i in seq_along(lines)) openxlsx::mergeCells(book, "lines", cols = 1, rows = 5 * i - 3:-1)
})
write_book("by-year.xlsx", function(book) {
  for (one in years) {
    sheet <- paste("Season", one)
    openxlsx::addWorksheet(book, sheet)
    part <- truth[truth$year == one, names(truth) != "year"]
    if (one == 2016) part$punctual <- sprintf("%.3f", part$punctual)
    add(book, sheet, if (one == 2015) rev(part) else part, 1, names = TRUE)
  }
})

# Names, keys, rows: repeated, missing, totals, one name in several spellings
faulty <- truth
faulty[] <- lapply(truth, as.character)
faulty$line[c(7, 9)] <- c("BRENNA POINT", "Brenna  Point")
faulty$line[22] <- "Eske\u00a0"
faulty$line[13] <- "C\u00f4rrie"
faulty$passengers <- grouped(truth$passengers, " ")
faulty$fare[c(2, 12)] <- sub(".", ",", faulty$fare[c(2, 12)], fixed = TRUE)
total <- faulty[1, ]
total[] <- list("Total", "2018", grouped(sum(truth$passengers), " "), "", "", "")
faulty <- rbind(faulty[1:10, ], faulty[10, ], faulty[11:30, ], total, "")
write_cells(faulty, "faults.csv")

# To be joined: other names for the keys, other spellings
write_cells(data.frame(name = c("aldersund", "Brenna point", "Corrie ", "DUNHOLM", "\u00c9ske", "Grimsa"),
                       coast = c("Vesper", "Vesper", "Ember", "Ember", "Tallow", "Tallow"),
                       opened = c(1921, 1934, 1950, 1961, 1903, 1988)), "lines.csv")
