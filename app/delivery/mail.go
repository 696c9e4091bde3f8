package delivery

import (
	"bytes"
	"embed"
	"fmt"
	"strings"

	smtp "github.com/wneessen/go-mail"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
)

//go:embed *.html
var files embed.FS

var pages = page.New(files)

// widest is the width in pixels at which pictures go within a mail.
const widest = 640

// envelope makes a mail of a letter (RFC 5322): text and HTML next to each other, pictures within. Its Message-ID is
// that of the mail, at every attempt.
func (s *Sender) envelope(m *deliveries.Mail, l *Letter) (*smtp.Msg, error) {
	from := s.Settings.From
	msg := smtp.NewMsg(smtp.WithNoDefaultUserAgent())
	msg.FromMailAddress(from)
	if err := msg.To(m.To()...); err != nil {
		return nil, err
	}
	if l.ReplyTo != "" {
		if err := msg.ReplyTo(l.ReplyTo); err != nil {
			return nil, err
		}
	} else if s.Settings.ReplyTo != nil {
		msg.ReplyToMailAddress(s.Settings.ReplyTo)
	}
	_, domain, _ := strings.Cut(from.Address, "@")
	msg.SetMessageIDWithValue(m.ID + "@" + domain)
	msg.SetDateWithValue(m.At)
	msg.Subject(l.Subject)
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: no one's machine answers it
	if l.Leave != "" {
		msg.SetGenHeader("List-Unsubscribe", "<"+l.Leave+">")
		msg.SetGenHeader("List-Unsubscribe-Post", "List-Unsubscribe=One-Click") // RFC 8058
	}
	msg.SetBodyString(smtp.TypeTextPlain, l.Text)
	msg.AddAlternativeString(smtp.TypeTextHTML, l.HTML)
	for _, p := range l.Pictures {
		size, err := s.Store.Documents.PictureSize(p.ID, widest)
		if database.IsNotFound(err) {
			continue // it has been deleted: its words stand in its place
		}
		if err != nil {
			return nil, err
		}
		name := p.ID + "." + strings.TrimPrefix(size.Type, "image/")
		err = msg.EmbedReader(name, bytes.NewReader(size.Data),
			smtp.WithFileContentID(p.CID), smtp.WithFileContentType(smtp.ContentType(size.Type)))
		if err != nil {
			return nil, fmt.Errorf("picture %s: %w", p.ID, err)
		}
	}
	return msg, nil
}
