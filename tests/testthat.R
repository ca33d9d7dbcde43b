library(testthat)
library(sprenn)

test_check("sprenn")
