package engine

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
)

// FuzzToken: whatever an address holds, a token opens as what was sealed, in its quiz and of its kind, or not at all.
func FuzzToken(f *testing.F) {
	corpus.Add(f)
	s, err := newSealer(make([]byte, 32))
	require.NoError(f, err)
	place, err := s.seal("quiz", &Place{ID: "walk"})
	require.NoError(f, err)
	tag, err := s.seal("quiz", &tagToken{Version: 1, Event: "e"})
	require.NoError(f, err)
	for _, seed := range []string{"", "~", "~abc", "AAAA", place, place[:len(place)-1], place + "A", tag, "%" + place} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, token string) {
		if p, err := s.openPlace("quiz", token); err == nil {
			require.Equal(t, "walk", p.ID, "a walk that nobody sealed")
			raw, err := encoding.DecodeString(token)
			require.NoError(t, err)
			require.Equal(t, token, encoding.EncodeToString(raw), "it is written in one way only")
		}
		_, err := s.openPlace("another", token)
		require.Error(t, err)
		_, err = s.openEnd("quiz", token)
		require.Error(t, err)
		var r retakeToken
		require.Error(t, s.open("quiz", token, &r))
	})
}

// FuzzPlain: what a token unpacks to is read or refused, whatever it is: a server of another age may have sealed it.
func FuzzPlain(f *testing.F) {
	corpus.Add(f)
	s, err := newSealer(make([]byte, 32))
	require.NoError(f, err)
	for _, seed := range []string{"\x00{}", "\x00{\"i\":\"x\"}", "\x01", "\x02\xa0", "\x02\xbf", "\x03\x00", "\x09"} {
		f.Add([]byte(seed))
	}
	nonce := make([]byte, s.aead.NonceSize())
	f.Fuzz(func(t *testing.T, plain []byte) {
		sealed := s.aead.Seal(nonce[:len(nonce):len(nonce)], nonce, plain, additional("quiz", &Place{}))
		p, err := s.openPlace("quiz", encoding.EncodeToString(sealed))
		if err == nil {
			require.NotEmpty(t, p.ID)
			require.NotNil(t, p.Answers)
		}
	})
}
