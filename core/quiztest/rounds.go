package quiztest

import "os"

// Rounds is how many of n random quizzes a test takes: a quarter, or all under make prove. Their seeds are fixed, so
// those that are taken are the same each time.
func Rounds(n int) int {
	if os.Getenv("PROVE") != "" {
		return n
	}
	return max(1, n/4)
}
