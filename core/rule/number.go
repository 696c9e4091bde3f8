// Package rule holds what a quiz decides with: exact numbers, values of facts, conditions and formulas.
package rule

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
)

// MaxPlaces is the most decimal places that a number in a document may have.
const MaxPlaces = 4

// Largest is the greatest size of a number in a document and in an answer: far above any score, and small enough that
// sums of products stay within what a count of respondents can hold.
var Largest = Int(1_000_000_000_000)

// maxDigits bounds the text of a number, so that no exponent can make it fill the memory.
const maxDigits = 40

// Number is an exact rational number. The zero value is 0. A Number is immutable: every verb returns a new one.
// Whole numbers, which most points are, are held without a pointer.
type Number struct {
	i int64    // the number, if r is nil
	r *big.Rat // the number, if it is not whole or does not fit
}

// of makes a Number of a rational that nobody else holds.
func of(r *big.Rat) Number {
	if r.IsInt() && r.Num().IsInt64() {
		return Number{i: r.Num().Int64()}
	}
	return Number{r: r}
}

// Int returns n as a Number.
func Int(n int64) Number { return Number{i: n} }

// Ratio returns num ÷ den; den must not be 0.
func Ratio(num, den Number) Number {
	if num.r == nil && den.r == nil && den.i != 0 && num.i%den.i == 0 && den.i != -1 {
		return Number{i: num.i / den.i}
	}
	return of(new(big.Rat).Quo(num.rat(), den.rat()))
}

// ParseNumber reads a decimal number as JSON writes them: "-1.25", "3", "1e2". Anything else is an error.
func ParseNumber(s string) (Number, error) {
	if !isJSONNumber(s) {
		return Number{}, fmt.Errorf("%q is not a number", clip(s))
	}
	if e := strings.IndexAny(s, "eE"); len(s) > maxDigits || (e >= 0 && len(s)-e > 4) {
		return Number{}, fmt.Errorf("the number %s is too long", clip(s))
	}
	if n, err := strconv.ParseInt(s, 10, 64); err == nil {
		return Number{i: n}, nil
	}
	r, ok := new(big.Rat).SetString(s)
	if !ok {
		return Number{}, fmt.Errorf("%q is not a number", clip(s))
	}
	return of(r), nil
}

// MustNumber is ParseNumber for constants; it panics on a bad one.
func MustNumber(s string) Number {
	n, err := ParseNumber(s)
	if err != nil {
		panic(err)
	}
	return n
}

// FromFloat returns the decimal that f prints as, rounded to 9 places: so 0.1 + 0.2 of a formula meets a cut at 0.3.
// It reports false for infinities and for what is not a number.
func FromFloat(f float64) (Number, bool) {
	if math.IsInf(f, 0) || math.IsNaN(f) {
		return Number{}, false
	}
	r, ok := new(big.Rat).SetString(strconv.FormatFloat(f, 'f', 9, 64))
	return of(r), ok
}

func isJSONNumber(s string) bool {
	var n json.Number
	return s != "" && s[0] != '"' && s[0] != 'n' && json.Unmarshal([]byte(s), &n) == nil && strings.TrimSpace(s) == s
}

func clip(s string) string {
	if len(s) > maxDigits {
		return s[:maxDigits] + "…"
	}
	return s
}

// rat is the number as a rational, which the caller must not change.
func (n Number) rat() *big.Rat {
	if n.r == nil {
		return new(big.Rat).SetInt64(n.i)
	}
	return n.r
}

// Add returns n + m.
func (n Number) Add(m Number) Number {
	if n.r == nil && m.r == nil {
		if sum := n.i + m.i; (sum > n.i) == (m.i > 0) {
			return Number{i: sum}
		}
	}
	return of(new(big.Rat).Add(n.rat(), m.rat()))
}

// Sub returns n − m.
func (n Number) Sub(m Number) Number {
	if n.r == nil && m.r == nil {
		if diff := n.i - m.i; (diff < n.i) == (m.i > 0) {
			return Number{i: diff}
		}
	}
	return of(new(big.Rat).Sub(n.rat(), m.rat()))
}

// Mul returns n × m.
func (n Number) Mul(m Number) Number {
	if n.r == nil && m.r == nil {
		if hi, lo := bits.Mul64(size(n.i), size(m.i)); hi == 0 && lo <= math.MaxInt64 {
			return Number{i: n.i * m.i}
		}
	}
	return of(new(big.Rat).Mul(n.rat(), m.rat()))
}

func size(i int64) uint64 {
	if i < 0 {
		return -uint64(i)
	}
	return uint64(i)
}

// Cmp returns -1, 0 or 1 as n is less than, equal to or greater than m.
func (n Number) Cmp(m Number) int {
	if n.r == nil && m.r == nil {
		return cmp.Compare(n.i, m.i)
	}
	return n.rat().Cmp(m.rat())
}

// Sign returns -1, 0 or 1 as n is negative, zero or positive.
func (n Number) Sign() int {
	if n.r == nil {
		return cmp.Compare(n.i, 0)
	}
	return n.r.Sign()
}

// Float returns the nearest float64.
func (n Number) Float() float64 { f, _ := n.rat().Float64(); return f }

// IsInt reports whether n is a whole number.
func (n Number) IsInt() bool { return n.r == nil || n.r.IsInt() }

// Places returns how many decimal places n needs, and false when no finite decimal equals it.
func (n Number) Places() (int, bool) {
	if n.IsInt() {
		return 0, true
	}
	den := new(big.Int).Set(n.rat().Denom())
	rest, twos, fives := new(big.Int), 0, 0
	for _, p := range []struct {
		prime int64
		count *int
	}{{2, &twos}, {5, &fives}} {
		prime := big.NewInt(p.prime)
		for {
			q, m := new(big.Int).QuoRem(den, prime, rest)
			if m.Sign() != 0 {
				break
			}
			den, *p.count = q, *p.count+1
		}
	}
	return max(twos, fives), den.Cmp(big.NewInt(1)) == 0
}

// Scaled returns n × 10^places as an int64, and false when that is not a whole number or does not fit.
func (n Number) Scaled(places int) (int64, bool) {
	if n.r == nil && places == 0 {
		return n.i, true
	}
	pow := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil)
	r := new(big.Rat).Mul(n.rat(), new(big.Rat).SetInt(pow))
	if !r.IsInt() || !r.Num().IsInt64() {
		return 0, false
	}
	return r.Num().Int64(), true
}

// Unscaled returns v ÷ 10^places.
func Unscaled(v int64, places int) Number {
	if places == 0 {
		return Int(v)
	}
	pow := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil)
	return of(new(big.Rat).SetFrac(big.NewInt(v), pow))
}

// Round returns n rounded to places decimals, halves away from zero.
func (n Number) Round(places int) Number {
	if n.r == nil {
		return n
	}
	r, _ := new(big.Rat).SetString(n.r.FloatString(places))
	return of(r)
}

// String writes n as a plain decimal without trailing zeros; what no finite decimal equals is written as the
// shortest decimal that gives the nearest float64.
func (n Number) String() string {
	if n.r == nil {
		return strconv.FormatInt(n.i, 10)
	}
	if n.r.IsInt() {
		return n.r.Num().String()
	}
	if places, exact := n.Places(); exact {
		return n.rat().FloatString(places)
	}
	return strconv.FormatFloat(n.Float(), 'f', -1, 64)
}

// MarshalJSON writes n as a JSON number.
func (n Number) MarshalJSON() ([]byte, error) { return []byte(n.String()), nil }

// UnmarshalJSON reads a JSON number, with every digit kept.
func (n *Number) UnmarshalJSON(b []byte) error {
	m, err := ParseNumber(string(b))
	if err == nil {
		*n = m
	}
	return err
}

// MarshalText writes n as String does, for encodings that have no decimals of their own.
func (n Number) MarshalText() ([]byte, error) { return []byte(n.String()), nil }

// UnmarshalText reads what MarshalText writes.
func (n *Number) UnmarshalText(b []byte) error { return n.UnmarshalJSON(b) }

// IsZero lets encoding/json leave out numbers that are 0.
func (n Number) IsZero() bool { return n.Sign() == 0 }

// Floor returns the greatest whole number that is not above n.
func (n Number) Floor() Number {
	if n.r == nil {
		return n
	}
	q := new(big.Int).Div(n.rat().Num(), n.rat().Denom()) // Euclidean: floors, as the denominator is positive
	return of(new(big.Rat).SetInt(q))
}

// Ceil returns the least whole number that is not below n.
func (n Number) Ceil() Number { return Int(0).Sub(Int(0).Sub(n).Floor()) }
