trial_warnings <- function(trial) NULL
