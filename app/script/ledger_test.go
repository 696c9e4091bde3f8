package script

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
)

// The tint of a figure says its sign, and its size against the greatest of its column, in three steps.
func TestTints(t *testing.T) {
	top := rule.Int(9)
	for figure, want := range map[string]string{"0": "", "1": "p1", "3": "p1", "4": "p2", "6": "p2", "7": "p3", "9": "p3", "0.1": "p1", "-1": "m1", "-9": "m3", "-4.5": "m2"} {
		require.Equal(t, want, tint(rule.MustNumber(figure), top), figure)
	}
}
