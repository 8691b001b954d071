library(testthat)
library(wavetax)
test_check("wavetax")
