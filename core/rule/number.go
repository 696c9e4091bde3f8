// Package rule provides what a quiz decides with: exact numbers, values of facts, conditions and formulas.
package rule

import (
	"cmp"
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
//
// Decimals, which nearly all points and sums are, are held without a pointer, and in one way only: i has no zero at
// its end that a place could be taken off for. 2.50 is i = 25 with one place. So two Numbers are the same value if
// they are equal by ==, as long as neither needs a rational.
type Number struct {
	i      int64    // the number × 10^places, if r is nil
	places uint8    // at most mostPlaces
	r      *big.Rat // the number, if it is no such decimal
}

// mostPlaces is how many decimals are held without a rational: those of a weight times a factor times a value.
const mostPlaces = 12

// tens are the powers of ten up to mostPlaces.
var tens = func() (t [mostPlaces + 1]int64) {
	t[0] = 1
	for i := range mostPlaces {
		t[i+1] = 10 * t[i]
	}
	return t
}()

// decimal is i ÷ 10^places, held in its one way; places may be at most mostPlaces.
func decimal(i int64, places int) Number {
	for places > 0 && i%10 == 0 {
		i /= 10
		places--
	}
	return Number{i: i, places: uint8(places)}
}

// of makes a Number of a rational that no one else holds.
func of(r *big.Rat) Number {
	if !r.Num().IsInt64() || !r.Denom().IsInt64() {
		return Number{r: r}
	}
	num, den := r.Num().Int64(), r.Denom().Int64()
	if den == 1 {
		return Number{i: num}
	}
	if tens[mostPlaces]%den == 0 {
		if i, ok := times(num, tens[mostPlaces]/den); ok {
			return decimal(i, mostPlaces)
		}
	}
	return Number{r: r}
}

// Int returns n as a Number.
func Int(n int64) Number { return Number{i: n} }

// times multiplies, and reports false where the product does not fit.
func times(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(size(a), size(b))
	return a * b, hi == 0 && lo <= math.MaxInt64
}

// aligned are two decimals with the same places; false where one is no decimal, or does not fit.
func aligned(n, m Number) (a, b int64, places int, ok bool) {
	switch {
	case n.r != nil || m.r != nil:
		return 0, 0, 0, false
	case n.places == m.places:
		return n.i, m.i, int(n.places), true
	case n.places < m.places:
		a, ok = times(n.i, tens[m.places-n.places])
		return a, m.i, int(m.places), ok
	}
	b, ok = times(m.i, tens[n.places-m.places])
	return n.i, b, int(n.places), ok
}

// Ratio returns num ÷ den; den must not be 0.
func Ratio(num, den Number) Number {
	if a, b, _, ok := aligned(num, den); ok && b != 0 && b != -1 && a%b == 0 {
		return Number{i: a / b}
	}
	return of(new(big.Rat).Quo(num.rat(), den.rat()))
}

// ParseNumber reads a decimal number as JSON writes them: "-1.25", "3", "1e2". Anything else is an error.
func ParseNumber(s string) (Number, error) {
	if !isJSONNumber(s) {
		return Number{}, notNumber.Error(clip(s))
	}
	if e := strings.IndexAny(s, "eE"); len(s) > maxDigits || (e >= 0 && len(s)-e > 4) {
		return Number{}, numberTooLong.Error(clip(s))
	}
	if n, ok := plain(s); ok {
		return n, nil
	}
	r, ok := new(big.Rat).SetString(s)
	if !ok {
		return Number{}, notNumber.Error(clip(s))
	}
	return of(r), nil
}

// plain reads a decimal without an exponent that is held without a rational.
func plain(s string) (Number, bool) {
	whole, fraction, _ := strings.Cut(s, ".")
	if len(fraction) > mostPlaces {
		return Number{}, false
	}
	i, err := strconv.ParseInt(whole+fraction, 10, 64)
	return decimal(i, len(fraction)), err == nil
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
	text := strconv.FormatFloat(f, 'f', 9, 64)
	if n, ok := plain(text); ok {
		return n, true
	}
	r, ok := new(big.Rat).SetString(text)
	return of(r), ok
}

// isJSONNumber keeps to the grammar of RFC 8259, section 6.
func isJSONNumber(s string) bool {
	whole, s := digits(strings.TrimPrefix(s, "-"))
	if whole == "" || len(whole) > 1 && whole[0] == '0' {
		return false
	}
	if rest, has := strings.CutPrefix(s, "."); has {
		if whole, s = digits(rest); whole == "" {
			return false
		}
	}
	if s != "" && (s[0] == 'e' || s[0] == 'E') {
		s = s[1:]
		if s != "" && (s[0] == '+' || s[0] == '-') {
			s = s[1:]
		}
		if whole, s = digits(s); whole == "" {
			return false
		}
	}
	return s == ""
}

// digits cuts a text behind the digits that it begins with.
func digits(s string) (digits, rest string) {
	n := 0
	for n < len(s) && '0' <= s[n] && s[n] <= '9' {
		n++
	}
	return s[:n], s[n:]
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
		return big.NewRat(n.i, tens[n.places])
	}
	return n.r
}

// Add returns n + m.
func (n Number) Add(m Number) Number {
	if a, b, places, ok := aligned(n, m); ok {
		if sum := a + b; (sum > a) == (b > 0) {
			return decimal(sum, places)
		}
	}
	return of(new(big.Rat).Add(n.rat(), m.rat()))
}

// Sub returns n − m.
func (n Number) Sub(m Number) Number {
	if a, b, places, ok := aligned(n, m); ok {
		if diff := a - b; (diff < a) == (b > 0) {
			return decimal(diff, places)
		}
	}
	return of(new(big.Rat).Sub(n.rat(), m.rat()))
}

// Mul returns n × m.
func (n Number) Mul(m Number) Number {
	if places := int(n.places) + int(m.places); n.r == nil && m.r == nil && places <= mostPlaces {
		if i, ok := times(n.i, m.i); ok {
			return decimal(i, places)
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
	if a, b, _, ok := aligned(n, m); ok {
		return cmp.Compare(a, b)
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
func (n Number) Float() float64 {
	const exact = 1 << 53 // whole numbers up to this have a float64; the quotient of two is rounded once
	if n.r == nil && size(n.i) <= exact {
		return float64(n.i) / float64(tens[n.places])
	}
	f, _ := n.rat().Float64()
	return f
}

// IsInt reports whether n is a whole number.
func (n Number) IsInt() bool {
	if n.r == nil {
		return n.places == 0
	}
	return n.r.IsInt()
}

// Places returns how many decimal places n needs, and false when no finite decimal equals it.
func (n Number) Places() (int, bool) {
	if n.r == nil {
		return int(n.places), true
	}
	if n.r.IsInt() {
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
	if n.r == nil && places <= mostPlaces {
		if places < int(n.places) {
			return 0, false
		}
		return times(n.i, tens[places-int(n.places)])
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
	if places <= mostPlaces {
		return decimal(v, places)
	}
	pow := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil)
	return of(new(big.Rat).SetFrac(big.NewInt(v), pow))
}

// Round returns n rounded to places decimals, halves away from zero.
func (n Number) Round(places int) Number {
	if n.r == nil && int(n.places) <= places {
		return n
	}
	if n.r == nil && places >= 0 {
		unit := tens[int(n.places)-places]
		i, rest := n.i/unit, n.i%unit
		if half := unit / 2; rest >= half {
			i++
		} else if -rest >= half {
			i--
		}
		return decimal(i, places)
	}
	r, _ := new(big.Rat).SetString(n.rat().FloatString(places))
	return of(r)
}

// String writes n as a plain decimal without trailing zeros; what no finite decimal equals is written as the
// shortest decimal that gives the nearest float64.
func (n Number) String() string {
	if n.r == nil {
		return plainString(n.i, int(n.places))
	}
	if n.r.IsInt() {
		return n.r.Num().String()
	}
	if places, exact := n.Places(); exact {
		return n.rat().FloatString(places)
	}
	return strconv.FormatFloat(n.Float(), 'f', -1, 64)
}

// Append writes n as String does behind b.
func (n Number) Append(b []byte) []byte {
	if n.r == nil && n.places == 0 {
		return strconv.AppendInt(b, n.i, 10)
	}
	return append(b, n.String()...)
}

func plainString(i int64, places int) string {
	if places == 0 {
		return strconv.FormatInt(i, 10)
	}
	digits := strconv.FormatUint(size(i), 10)
	if short := places + 1 - len(digits); short > 0 {
		digits = strings.Repeat("0", short) + digits
	}
	sign := ""
	if i < 0 {
		sign = "-"
	}
	at := len(digits) - places
	return sign + digits[:at] + "." + digits[at:]
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
		unit := tens[n.places]
		i := n.i / unit
		if n.i%unit < 0 {
			i--
		}
		return Number{i: i}
	}
	q := new(big.Int).Div(n.rat().Num(), n.rat().Denom()) // Euclidean: floors, as the denominator is positive
	return of(new(big.Rat).SetInt(q))
}

// Ceil returns the least whole number that is not below n.
func (n Number) Ceil() Number { return n.Neg().Floor().Neg() }

// Neg returns −n.
func (n Number) Neg() Number { return Int(0).Sub(n) }

// Abs returns n without its sign.
func (n Number) Abs() Number {
	if n.Sign() < 0 {
		return n.Neg()
	}
	return n
}
