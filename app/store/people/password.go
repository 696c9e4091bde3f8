package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
	"golang.org/x/crypto/bcrypt"
)

// What a password costs to try: the second choice of RFC 9106, section 4 (64 MiB, three passes), with one lane, as the
// server has few processors.
const (
	argonPasses = 3
	argonMemory = 64 << 10 // KiB
	argonLanes  = 1
	argonKey    = 32
	argonSalt   = 16
)

// HashPassword is the hash of a password by argon2id (RFC 9106), in the usual text form.
func HashPassword(password string) ([]byte, error) {
	salt := make([]byte, argonSalt)
	if _, err := rand.Read(salt); err != nil {
		return nil, err
	}
	key := argon2.IDKey([]byte(password), salt, argonPasses, argonMemory, argonLanes, argonKey)
	text := base64.RawStdEncoding.EncodeToString
	return fmt.Appendf(nil, "$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s",
		argon2.Version, argonMemory, argonPasses, argonLanes, text(salt), text(key)), nil
}

// fits reports whether a password is that of a hash, and whether the hash is one that is made now.
func fits(hash []byte, password string) (ok, current bool) {
	if !strings.HasPrefix(string(hash), "$argon2id$") {
		return bcrypt.CompareHashAndPassword(hash, []byte(password)) == nil, false
	}
	var version, memory, passes, lanes int
	parts := strings.Split(string(hash), "$")
	if len(parts) != 6 {
		return false, false
	}
	_, err := fmt.Sscanf(parts[2]+" "+parts[3], "v=%d m=%d,t=%d,p=%d", &version, &memory, &passes, &lanes)
	salt, saltErr := base64.RawStdEncoding.DecodeString(parts[4])
	key, keyErr := base64.RawStdEncoding.DecodeString(parts[5])
	if errors.Join(err, saltErr, keyErr) != nil || version != argon2.Version || lanes < 1 || lanes > 255 {
		return false, false
	}
	got := argon2.IDKey([]byte(password), salt, uint32(passes), uint32(memory), uint8(lanes), uint32(len(key)))
	same := subtle.ConstantTimeCompare(got, key) == 1
	return same, memory == argonMemory && passes == argonPasses && lanes == argonLanes
}
