package app

import (
	"bytes"
	"encoding/json"
	"html"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"omphalos/core/quiz"
)

// upload posts a form with a file.
func (d *desk) upload(path, field, name string, data []byte, values url.Values) *httptest.ResponseRecorder {
	d.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for k, v := range values {
		require.NoError(d, w.WriteField(k, v[0]))
	}
	if data != nil {
		f, err := w.CreateFormFile(field, name)
		require.NoError(d, err)
		_, err = f.Write(data)
		require.NoError(d, err)
	}
	require.NoError(d, w.Close())
	r := httptest.NewRequest("POST", path, &b)
	r.Header.Set("Content-Type", w.FormDataContentType())
	r.AddCookie(d.cookie)
	rec := httptest.NewRecorder()
	d.h.ServeHTTP(rec, r)
	return rec
}

var payload = regexp.MustCompile(`(?s)name="payload" hidden>(.*?)</textarea>`)

// take continues from a preview.
func (d *desk) take(path string, preview *httptest.ResponseRecorder, extra url.Values) *httptest.ResponseRecorder {
	d.Helper()
	m := payload.FindStringSubmatch(preview.Body.String())
	require.NotNil(d, m, preview.Body.String())
	form := url.Values{"payload": {html.UnescapeString(m[1])}}
	if base := regexp.MustCompile(`name="base" value="(\d+)"`).FindStringSubmatch(preview.Body.String()); base != nil {
		form["base"] = []string{base[1]}
	}
	for k, v := range extra {
		form[k] = v
	}
	return d.form(path, form)
}

// Every export comes back as it was, whole or as a sheet; a preview changes nothing.
func TestWhatGoesOutComesBackIn(t *testing.T) {
	d := newDesk(t, true)
	live, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	base := "/quizzes/" + live.ID
	for _, file := range []string{"quiz.json", "sheet.csv", "sheet.xlsx"} {
		out := d.get(base + "/export/" + file)
		require.Equal(t, http.StatusOK, out.Code)
		w := d.upload(base+"/exchange", "file", file, out.Body.Bytes(), nil)
		require.Equal(t, http.StatusUnprocessableEntity, w.Code)
		require.Contains(t, w.Body.String(), "othing to import: this is identical to the quiz", file)
	}
	// Texts in other languages go out as a sheet, and come in as one.
	for _, file := range []string{"texts.csv", "texts.xlsx"} {
		require.Contains(t, d.upload(base+"/exchange", "file", file, d.get(base+"/export/"+file).Body.Bytes(), nil).Body.String(), "there’s no column for another language; add one headed with its code, such as de", file)
	}
	texts := d.upload(base+"/exchange", "", "", nil, url.Values{"text": {"place\tde\nquestions.area.text\tWie groß ist die Wand?\nname\tBereit?\n"}})
	require.Equal(t, http.StatusOK, texts.Code, texts.Body.String())
	require.Contains(t, texts.Body.String(), "2 texts in German")
	require.NotContains(t, texts.Body.String(), "new question")
	require.Equal(t, http.StatusSeeOther, d.take(base+"/exchange/take", texts, nil).Code)
	for _, file := range []string{"texts.csv", "texts.xlsx"} {
		require.Contains(t, d.upload(base+"/exchange", "file", file, d.get(base+"/export/"+file).Body.Bytes(), nil).Body.String(), "othing to import: this is identical to the quiz", file)
	}
	// So do the words of buttons, in the own column as respondents read them.
	require.Contains(t, d.get(base+"/export/texts.csv").Body.String(), "words.next,buttons and messages,Continue,\r\n")
	said := d.upload(base+"/exchange", "", "", nil, url.Values{"text": {"place\tde\nwords.next\tWeiter geht’s\n"}})
	require.Equal(t, http.StatusSeeOther, d.take(base+"/exchange/take", said, nil).Code, said.Body.String())
	require.Contains(t, d.get(base+"/export/texts.csv").Body.String(), "words.next,buttons and messages,Continue,Weiter geht’s\r\n")
	require.Contains(t, d.get(base+"/script?view=languages&in=de").Body.String(), "Weiter geht’s")
	live, err = d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)

	// A new quiz of the document is the same quiz.
	document := d.get(base + "/export/quiz.json").Body.Bytes()
	w := d.upload("/import", "file", "quiz.json", document, nil)
	require.Equal(t, http.StatusOK, w.Code)
	require.Contains(t, w.Body.String(), "7 new questions")
	w = d.take("/import/take", w, url.Values{"name": {"Copy"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	id := strings.Split(w.Header().Get("Location"), "/")[2]
	fresh, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	was, err := quiz.Read(live.Document)
	require.NoError(t, err)
	now, err := quiz.Read(fresh.Document)
	require.NoError(t, err)
	require.Equal(t, "Copy", now.Name)
	now.Name = was.Name
	one, err := json.Marshal(was)
	require.NoError(t, err)
	other, err := json.Marshal(now)
	require.NoError(t, err)
	require.JSONEq(t, string(one), string(other))

	// A spreadsheet that was changed: one weight, one answer more, as one edit.
	f, err := excelize.OpenReader(bytes.NewReader(d.get(base + "/export/sheet.xlsx").Body.Bytes()))
	require.NoError(t, err)
	sheet := f.GetSheetName(0)
	require.NoError(t, f.SetCellValue(sheet, "J2", 9.5))
	require.NoError(t, f.InsertRows(sheet, 5, 1))
	require.NoError(t, f.SetSheetRow(sheet, "A5", &[]any{"area", "", "", "", "", "", "", "A whole hall", "", 12}))
	changed, err := f.WriteToBuffer()
	require.NoError(t, err)
	w = d.upload(base+"/exchange", "file", "x.xlsx", changed.Bytes(), nil)
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	require.Contains(t, w.Body.String(), "1 changed, 6 unchanged")
	before, err := d.Store.Documents.Quiz(live.ID)
	require.NoError(t, err)
	require.Equal(t, live.Revision, before.Revision)
	require.Equal(t, http.StatusSeeOther, d.take(base+"/exchange/take", w, nil).Code)
	after, err := d.Store.Documents.Quiz(live.ID)
	require.NoError(t, err)
	require.Equal(t, live.Revision+1, after.Revision)
	doc, err := quiz.Read(after.Document)
	require.NoError(t, err)
	area := doc.Questions[0].Choices
	require.Equal(t, "9.5", area[0].Points["fit"].String())
	require.Equal(t, "A whole hall", area[3].Label)
	require.NotEmpty(t, doc.Questions[2].Branches, "what the sheet does not show is kept")

	// Someone edits between preview and taking it: the preview is asked for again.
	w = d.upload(base+"/exchange", "", "", nil, url.Values{"text": {"1. New?\n- Yes [2]"}})
	require.Equal(t, http.StatusOK, w.Code)
	_, err = d.edit(live.ID, after.Revision, quiz.Patch{quiz.Add("/questions/0/text", "Meanwhile?")})
	require.NoError(t, err)
	w = d.take(base+"/exchange/take", w, nil)
	require.Equal(t, http.StatusConflict, w.Code)
	require.Contains(t, w.Body.String(), "Someone has changed the quiz in the meantime")
}

func TestWhatCannotBeReadIsNamed(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Mine"))
	for text, want := range map[string]string{
		"":                               "Paste some text or choose a file.",
		"1. A?\n- [2]":                   "line 2: the answer has no text",
		"text,label,colour\nA?,x,red":    "line 1, column colour",
		`{"format":"omphalos-quiz/1"}`:   "name",
		`{"name": broken`:                "line 1",
		"text;label\n\"A?;x":             "line 2: a quotation mark isn’t closed",
		"text\tlabel\tscale.s\nA?\tx\t#": "line 2, column scale.s",
	} {
		for _, path := range []string{"/quizzes/" + q.ID + "/exchange", "/import"} {
			w := d.upload(path, "", "", nil, url.Values{"text": {text}})
			require.Equal(t, http.StatusUnprocessableEntity, w.Code, text)
			require.Contains(t, html.UnescapeString(w.Body.String()), want, text)
		}
	}
	w := d.upload("/import", "file", "x.xlsx", []byte("PK\x03\x04 not a workbook"), nil)
	require.Contains(t, w.Body.String(), "Couldn’t read the spreadsheet")
	w = d.upload("/import", "file", "x.txt", []byte{0xff, 0xfe, 0x00}, nil)
	require.Contains(t, w.Body.String(), "Omphalos can’t read this file. Save it as CSV (UTF-8), XLSX, JSON or plain text")
	require.Equal(t, http.StatusNotFound, d.get("/quizzes/"+q.ID+"/export/quiz.pdf").Code)
}

func picture(w, h int, opaque bool) image.Image {
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			a := uint8(255)
			if !opaque && x < w/2 {
				a = 40
			}
			m.SetNRGBA(x, y, color.NRGBA{uint8(x), uint8(y), 90, a})
		}
	}
	return m
}

// Pictures are told by their content, made again without what their file held, and served in the size that is asked
// for.
func TestPicturesAreMadeAnew(t *testing.T) {
	d := newDesk(t, false)
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, picture(900, 300, true), nil))
	// An Exif block between the first two markers: orientation 6 (turned by 90°), and a secret in a comment.
	exif := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x06\x00\x00\x00\x00\x00\x00"), []byte("SECRET-PLACE")...)
	data := append([]byte{0xff, 0xd8, 0xff, 0xe1, byte((len(exif) + 2) >> 8), byte(len(exif) + 2)}, exif...)
	data = append(data, b.Bytes()[2:]...)
	w := d.upload("/pictures", "picture", "wall.png", data, nil) // the name lies
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	at := regexp.MustCompile(`"image":"(/media/[0-9a-f]+)"`).FindStringSubmatch(w.Body.String())[1]
	for width, want := range map[string]int{"?w=100": 300, "?w=320": 300, "": 300} {
		r := d.get(at + width)
		require.Equal(t, http.StatusOK, r.Code)
		require.Equal(t, "image/jpeg", r.Header().Get("Content-Type"))
		require.NotContains(t, r.Body.String(), "SECRET")
		m, _, err := image.Decode(r.Body)
		require.NoError(t, err)
		require.Equal(t, want, m.Bounds().Dx(), "turned upright: 300 wide, 900 high")
		require.Equal(t, 900, m.Bounds().Dy())
	}
	b.Reset()
	require.NoError(t, png.Encode(&b, picture(1500, 600, false)))
	w = d.upload("/pictures", "picture", "see-through", b.Bytes(), nil)
	at = regexp.MustCompile(`"image":"(/media/[0-9a-f]+)"`).FindStringSubmatch(w.Body.String())[1]
	for width, want := range map[string]int{"?w=1": 320, "?w=321": 640, "?w=641": 1280, "?w=5000": 1280} {
		r := d.get(at + width)
		require.Equal(t, "image/png", r.Header().Get("Content-Type"))
		m, _, err := image.Decode(r.Body)
		require.NoError(t, err)
		require.Equal(t, want, m.Bounds().Dx(), width)
	}
	for name, bad := range map[string][]byte{"this isn’t a supported picture. Choose a JPEG, PNG, GIF or WebP file": []byte("<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>"), "broken": b.Bytes()[:200], "empty": {}} {
		w := d.upload("/pictures", "picture", "x.png", bad, nil)
		require.NotEqual(t, http.StatusOK, w.Code, name)
		require.Contains(t, w.Body.String(), "message", name)
	}
	id := strings.TrimPrefix(at, "/media/")
	code, err := d.postRaw("/pictures/"+id, `{"alt":"Half a wall","credit":"Us"}`)
	require.NoError(t, err)
	require.Equal(t, http.StatusNoContent, code)
	require.Contains(t, d.get("/pictures?q=half+WALL").Body.String(), "Half a wall")
	require.NotContains(t, d.get("/pictures?q=cactus").Body.String(), "Half a wall")
	require.Contains(t, d.get("/pictures?q=cactus").Body.String(), "/samples/sun-spine.svg")
	s := d.get("/samples/sun-spine.svg")
	require.Equal(t, "image/svg+xml", s.Header().Get("Content-Type"))
	require.Equal(t, "default-src 'none'", s.Header().Get("Content-Security-Policy"))
	require.Equal(t, http.StatusNotFound, d.get("/samples/none.svg").Code)
	require.Equal(t, http.StatusNotFound, d.get("/media/none").Code)
}

func (d *desk) postRaw(path, body string) (int, error) {
	r := httptest.NewRequest("POST", path, strings.NewReader(body))
	r.AddCookie(d.cookie)
	w := httptest.NewRecorder()
	d.h.ServeHTTP(w, r)
	_, err := io.Copy(io.Discard, w.Body)
	return w.Code, err
}

// The shares that a team assumes count at once, and only as far as they were typed.
func TestAssumedSharesAreTypedInPlace(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	base := "/quizzes/" + q.ID
	even := d.get(base + "/reach?assume=assumed").Body.String()
	require.Contains(t, even, "14.8%", "nothing typed is even")
	for share, want := range map[string]int{"80": http.StatusOK, "12,5%": http.StatusOK, "101": http.StatusUnprocessableEntity, "many": http.StatusUnprocessableEntity, "-1": http.StatusUnprocessableEntity} {
		code, err := d.postRaw(base+"/assumed", `{"key":"answers area large","share":"`+share+`"}`)
		require.NoError(t, err)
		require.Equal(t, want, code, share)
	}
	_, err = d.postRaw(base+"/assumed", `{"key":"answers area large","share":"80"}`)
	require.NoError(t, err)
	require.NotContains(t, d.get(base+"/reach?assume=assumed").Body.String(), "14.8%")
	require.Contains(t, d.get(base+"/reach?assume=even").Body.String(), "14.8%")
	form := d.get(base + "/assumed").Body.String()
	require.Contains(t, form, `data-share="answers area large" value="80"`)
	require.Contains(t, form, `data-share="answers area small" value="" placeholder="10"`)
	code, err := d.postRaw(base+"/assumed", `{"key":"nothing","share":"80"}`)
	require.NoError(t, err)
	require.Equal(t, http.StatusBadRequest, code)
	code, err = d.postRaw(base+"/assumed", `{"key":"answers area large","share":""}`)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, d.get(base+"/reach?assume=assumed").Body.String(), "14.8%")
}

// Find a cut point says what it gives, and using it gives just that.
func TestAdviceGivesWhatItSays(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	w := d.get("/quizzes/" + q.ID + "/advice?line=2&cut=2&top=10&assume=even")
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	m := regexp.MustCompile(`cut point to (\d+) \(exactly ([\d.]+%)\)`).FindStringSubmatch(w.Body.String())
	require.NotNil(t, m, w.Body.String())
	gives, err := strconv.ParseFloat(strings.TrimSuffix(m[2], "%"), 64)
	require.NoError(t, err)
	require.InDelta(t, 10, gives, 3, "no step of this score is wider")
	doc, err := quiz.Read(q.Document)
	require.NoError(t, err)
	text, err := quiz.Edit(q.Document, quiz.Patch{{Op: "add", Path: "/verdicts/1/bands/cuts/2/from", Value: []byte(m[1])}})
	require.NoError(t, err)
	fresh, err := d.Store.Documents.CreateQuizText(doc.Name, text.Text)
	require.NoError(t, err)
	require.Contains(t, d.get("/quizzes/"+fresh.ID+"/reach?room=verdicts").Body.String(), `"band-2-2":"`+m[2]+`"`)
	for _, query := range []string{"line=9&cut=0&top=10", "line=2&cut=7&top=10", "line=2&cut=0&top=many", "line=2&cut=0&top=0", "line=1&cut=0&top=5"} {
		requireNoAdvice(t, d.get("/quizzes/"+q.ID+"/advice?"+query), query)
	}
}

// The map as a file is an SVG of its own: well formed, with its styles, without links.
func TestTheMapIsAFile(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	w := d.get("/quizzes/" + q.ID + "/paths.svg")
	require.Equal(t, "image/svg+xml", w.Header().Get("Content-Type"))
	body := w.Body.String()
	require.Contains(t, body, "<style>")
	require.NotContains(t, body, "<a ")
	require.Contains(t, body, "33.3%")
	for _, mark := range []string{"SV", "PP", "SP", "NY"} {
		require.Contains(t, body, ">"+mark+"</text>")
	}
	empty := d.newQuiz(quiz.New("Empty"))
	require.Equal(t, http.StatusUnprocessableEntity, d.get("/quizzes/"+empty.ID+"/paths.svg").Code)
}
