package mailbox

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"
	"time"
)

// Mail is one mail as it came.
type Mail struct {
	Number   int
	At       time.Time
	From     string   // of the envelope
	To       []string // of the envelope
	Raw      []byte
	Header   mail.Header
	Subject  string
	Text     string
	HTML     string
	Within   map[string]Part // pictures by Content-ID
	Attached []Part
	Fault    string // why it cannot be read, "" where it can
}

// Part is a file within a mail.
type Part struct {
	Name, Type string
	Data       []byte
}

// Read reads a mail (RFC 5322, MIME of RFC 2045 to 2047).
func Read(raw []byte) *Mail {
	m := &Mail{Raw: raw, Within: map[string]Part{}}
	read, err := mail.ReadMessage(bytes.NewReader(raw))
	if err == nil {
		m.Header = read.Header
		m.Subject, err = new(mime.WordDecoder).DecodeHeader(read.Header.Get("Subject"))
	}
	if err == nil {
		err = m.part(header(read.Header), read.Body)
	}
	if err != nil {
		m.Fault = err.Error()
	}
	return m
}

// header is what parts and whole mails share.
type header map[string][]string

func (h header) get(name string) string { return strings.Join(h[name], "") }

// part reads a part, and those within it.
func (m *Mail) part(h header, body io.Reader) error {
	kind, parameters, err := mime.ParseMediaType(h.get("Content-Type"))
	if err != nil {
		return fmt.Errorf("Content-Type %q: %w", h.get("Content-Type"), err)
	}
	if strings.HasPrefix(kind, "multipart/") {
		r := multipart.NewReader(body, parameters["boundary"])
		for {
			p, err := r.NextRawPart()
			if err == io.EOF {
				return nil
			}
			if err == nil {
				err = m.part(header(p.Header), p)
			}
			if err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(h.get("Content-Transfer-Encoding")) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	data, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	disposition, named, _ := mime.ParseMediaType(h.get("Content-Disposition"))
	switch id := strings.Trim(h.get("Content-Id"), "<>"); {
	case id != "":
		m.Within[id] = Part{named["filename"], kind, data}
	case disposition == "attachment":
		m.Attached = append(m.Attached, Part{named["filename"], kind, data})
	case kind == "text/html":
		m.HTML = string(data)
	case kind == "text/plain":
		m.Text = string(data)
	}
	return nil
}

// Page is the HTML with the pictures that came within.
func (m *Mail) Page() string {
	out := m.HTML
	for id, p := range m.Within {
		out = strings.ReplaceAll(out, "cid:"+id, "data:"+p.Type+";base64,"+base64.StdEncoding.EncodeToString(p.Data))
	}
	return out
}

// Lines are headers worth showing.
func (m *Mail) Lines() [][2]string {
	var out [][2]string
	for _, name := range []string{
		"From", "To", "Reply-To", "Date", "Message-Id", "List-Unsubscribe", "List-Unsubscribe-Post",
	} {
		if v := m.Header.Get(name); v != "" {
			out = append(out, [2]string{name, v})
		}
	}
	return out
}
