package account

import (
	_ "embed"
	"strings"
	"sync"
)

// commonText lists passwords of at least ten characters that are tried first. It is written down from memory of the
// lists that are often published; none of those is copied.
//
//go:embed common.txt
var commonText string

var common = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for _, line := range strings.Fields(commonText) {
		out[line] = true
	}
	return out
})

// isCommon reports whether a password is one of those that are tried first: one of the list, also with signs behind
// it, one character again and again, or a row of the keyboard.
func isCommon(password string) bool {
	p := strings.ToLower(password)
	if common()[p] || common()[strings.TrimRight(p, "!?.#*")] {
		return true
	}
	return repeats(p) || follows(p)
}

// repeats reports whether a text is one of at most three characters, again and again.
func repeats(s string) bool {
	for n := 1; n <= 3; n++ {
		if len(s) > n && strings.Repeat(s[:n], len(s)/n+1)[:len(s)] == s {
			return true
		}
	}
	return false
}

// follows reports whether each character comes next after the one before it, or before it.
func follows(s string) bool {
	for _, step := range []int{1, -1} {
		all := len(s) > 1
		for i := 1; i < len(s); i++ {
			all = all && int(s[i])-int(s[i-1]) == step
		}
		if all {
			return true
		}
	}
	return false
}
