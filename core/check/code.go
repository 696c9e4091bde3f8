package check

// Code is the code of the finding of a check that does not hold.
const Code = "failed_check"
