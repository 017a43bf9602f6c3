package access

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
)

// Argon2id with the second recommended option of RFC 9106 scaled to a small
// machine: 19 MiB, two passes, one lane (OWASP's minimum).
const (
	argonMemory = 19 * 1024
	argonTime   = 2
	argonLanes  = 1
	argonBytes  = 32
	saltBytes   = 16
)

// hashing bounds how many passwords are worked on at a time, since each takes
// 19 MiB.
var hashing = make(chan struct{}, 4)

// HashPassword makes a salted hash in the usual text form.
func HashPassword(password string) (string, error) {
	salt := make([]byte, saltBytes)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	key := derive(password, salt, argonTime, argonMemory, argonLanes, argonBytes)
	encode := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonLanes,
		encode(salt), encode(key)), nil
}

func derive(password string, salt []byte, time, memory uint32, lanes uint8, length uint32) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(password), salt, time, memory, lanes, length)
}

// CheckPassword reports whether a password has a hash, in constant time.
func CheckPassword(hash, password string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	var memory, time uint32
	var lanes uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &lanes); err != nil {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	want, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil {
		return false
	}
	got := derive(password, salt, time, memory, lanes, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}
