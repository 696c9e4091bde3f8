package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"omphalos/standins/mailbox"
)

// mailTo waits for a mail to someone whose subject has the words.
func (w *world) mailTo(t *testing.T, to, subject string) *mailbox.Mail {
	t.Helper()
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		for _, m := range w.Box.All() {
			if strings.Join(m.To, ",") == to && strings.Contains(m.Subject, subject) {
				require.Empty(t, m.Fault)
				return m
			}
		}
	}
	list, err := w.Store.Deliveries.Mails(quizID(t, w), "", 9)
	t.Fatalf("no mail to %s about %q: %+v %v", to, subject, list, err)
	return nil
}

// A message is written, seen as it arrives and tried; launched, it comes to anyone who walks there, and to no one else.
func TestAMessageIsWrittenAndArrives(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/messages")
	b.has("To the planner of the region")
	b.wait(`document.querySelector("#gets-planner")?.textContent === "14.8%"`)
	b.click("button", "The team")
	b.wait(`document.querySelector("#m-name")?.value === "To the team"`)
	b.has("has no email address")
	b.fill("#m-name", "Pots")
	b.fill("#m-addresses", "shop@larkmoor.example, not an address")
	b.has("isn’t an email address")
	b.fill("#m-addresses", "shop@larkmoor.example")
	require.Nil(t, draft(t, w, id).Messages[3].When, "a new message is for everyone")
	b.click("button", "Add condition")
	b.choose(`select[data-do="act:condition.op"]`, "is not")
	b.choose(`select[data-do="act:condition.op"]`, "is")
	b.choose(`select[data-do][data-at$="/when/value"]`, "Start with pots")
	b.fill("#m-subject", "Pots for {contact.name|somebody}")
	b.wait(`document.querySelector("iframe[data-preview]")?.contentDocument?.body?.innerText.includes("Pots for Orla Quill")`)
	b.wait(`document.querySelector("#gets-m1")?.textContent === "47%"`)
	b.focus("#m-text")
	b.wait(`[...document.querySelectorAll(".fillmenu option")].some((o) => o.value === "answers")`)
	b.click("button", "Send a test to me")
	b.has("Test sent to ada@larkmoor.example")
	w.mailTo(t, "ada@larkmoor.example", "Pots for Orla Quill")

	b.goTo(w.URL + "/quizzes/" + id + "/launch")
	b.click("button", "Launch version 2")
	b.has("Version 2 is live")
	respondent := open(t, 1280, 800)
	respondent.goTo(w.URL + "/q/living-wall")
	respondent.answerWall()
	mail := w.mailTo(t, "shop@larkmoor.example", "Pots for Orla")
	require.Contains(t, mail.Text, "Under 5 m²")
	require.Equal(t, "<orla@frame.example>", mail.Header.Get("Reply-To"))
	for _, m := range w.Box.All() {
		require.NotContains(t, m.Subject, "Site visit", "who ends elsewhere brings about no such message")
	}

	b.goTo(w.URL + "/quizzes/" + id + "/messages?m=m1")
	b.has("Sent")
	b.click("button", "Pause sending")
	b.has("paused")
	b.goTo(w.URL + "/quizzes/" + id + "/messages?part=list")
	b.has("orla@frame.example")
	b.quiet()
}

// A file is shared by a link of the respondent's own, and counted for the outcome it was fetched from.
func TestAFileIsHandedOut(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	dir := t.TempDir()
	page := filepath.Join(dir, "Run me.html")
	list := filepath.Join(dir, "Light checklist.pdf")
	require.NoError(t, os.WriteFile(page, []byte("<script>alert(1)</script>"), 0o600))
	require.NoError(t, os.WriteFile(list, []byte("%PDF-1.4 made up"), 0o600))
	b.goTo(w.URL + "/quizzes/" + id + "/endings?part=files")
	b.run(chromedp.SetUploadFiles("#file", []string{page}))
	b.click("button", "Upload")
	b.has("has a file type you can’t offer. Use a PDF, document, spreadsheet, picture or ZIP file")
	b.wait(`document.readyState === "complete"`)
	b.run(chromedp.SetUploadFiles("#file", []string{list}))
	b.click("button", "Upload")
	b.has("[Light checklist]({file.light-checklist})")
	b.has("Not downloaded yet")
	b.quiet()
}
