package delivery

import (
	"bytes"
	netmail "net/mail"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/deliveries"
	"omphalos/core/corpus"
)

// FuzzMail: whatever a subject, a text or an address holds, the mail that is made of it can be read, goes to those whom
// it is for, and has no header that was typed.
func FuzzMail(f *testing.F) {
	corpus.Add(f)
	f.Add("Your plan", "Dear Orla,\nhere it is.\n", "orla@fenhall.example", "wall@larkmoor.example")
	f.Add("A\r\nBcc: all@larkmoor.example", "\r\n.\r\n", "a@b.example", "x@y.example\r\nX-Evil: 1")
	f.Add("=?utf-8?q?=0D=0ABcc:_x?=", "\x00\xff", "“o”@fenhall.example", "")
	s := &Sender{Settings: Settings{From: &netmail.Address{Name: "Larkmoor", Address: "hello@larkmoor.example"}}}
	f.Fuzz(func(t *testing.T, subject, text, to, reply string) {
		m := &deliveries.Mail{ID: "m", Recipients: to, At: time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)}
		msg, err := s.envelope(m, &Letter{Subject: subject, Text: text, HTML: "<p>x</p>", ReplyTo: reply})
		if err != nil {
			return
		}
		var out bytes.Buffer
		_, err = msg.WriteTo(&out)
		require.NoError(t, err)
		read, err := netmail.ReadMessage(&out)
		require.NoError(t, err)
		for name := range read.Header {
			require.Contains(t, []string{
				"Auto-Submitted", "Content-Type", "Date", "From", "Message-Id", "Mime-Version", "Reply-To", "Subject", "To",
			}, name)
		}
		require.Equal(t, "<m@larkmoor.example>", read.Header.Get("Message-Id"))
	})
}
