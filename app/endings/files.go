package endings

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/gosimple/slug"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// filesView is what the quiz shares.
type filesView struct {
	Refused string
	Saved   bool
	Files   []handout
	Kinds   string // the endings of names that are taken
	Most    string
}

// handout is a file with how often it was fetched.
type handout struct {
	documents.Handout
	Bytes   string
	Fill    string // what stands for its address in texts
	Fetched []string
}

// kinds are the files that can be shared, by the ending of their name: none that a browser would run.
var kinds = map[string]string{
	".pdf":  "application/pdf",
	".png":  "image/png",
	".jpg":  "image/jpeg",
	".jpeg": "image/jpeg",
	".txt":  "text/plain; charset=utf-8",
	".csv":  "text/csv; charset=utf-8",
	".zip":  "application/zip",
	".epub": "application/epub+zip",
	".docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
	".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	".pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
	".odt":  "application/vnd.oasis.opendocument.text",
	".ods":  "application/vnd.oasis.opendocument.spreadsheet",
}

func (h *Handler) files(s *view, query url.Values) (*filesView, error) {
	v := &filesView{
		Refused: query.Get("refused"),
		Saved:   query.Has("saved"),
		Most:    documents.SizeOf(documents.MaxHandoutBytes),
	}
	v.Kinds = ".pdf, .docx, .xlsx, .pptx, .odt, .ods, .epub, .csv, .txt, .zip, .jpg, .png"
	list, err := h.Store.Documents.Handouts(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	counts, err := h.Store.Documents.HandoutCounts(s.Draft.Quiz.ID)
	for _, f := range list {
		one := handout{
			Handout: f,
			Bytes:   documents.SizeOf(f.Size),
			Fill:    "[" + strings.TrimSuffix(f.Name, path.Ext(f.Name)) + "]({file." + f.ID + "})",
		}
		for i := range s.Draft.Doc.Outcomes {
			o := &s.Draft.Doc.Outcomes[i]
			if n := counts[f.ID][o.ID]; n > 0 {
				one.Fetched = append(one.Fetched, fmt.Sprintf("%s from %s", page.Thousands(n), o.Title()))
			}
		}
		v.Files = append(v.Files, one)
	}
	return v, err
}

// addFile stores a file that was sent.
func (h *Handler) addFile(c *gin.Context) {
	id := c.Param("id")
	back := func(query url.Values) {
		query.Set("part", "files")
		c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/endings?"+query.Encode())
	}
	refuse := func(why string) { back(url.Values{"refused": {why}}) }
	if h.quizOf(c) == nil {
		return
	}
	header, err := c.FormFile("file")
	if err != nil {
		refuse("Choose a file of up to " + documents.SizeOf(documents.MaxHandoutBytes) + ".")
		return
	}
	name := path.Base(strings.ReplaceAll(header.Filename, "\\", "/"))
	kind, known := kinds[strings.ToLower(path.Ext(name))]
	switch {
	case !known:
		refuse(
			"“" + quiz.Shorten(
				name,
				60,
			) + "” has a file type you can’t offer. Use a PDF, document, spreadsheet, picture or ZIP file.",
		)
		return
	case header.Size > documents.MaxHandoutBytes:
		refuse("“" + quiz.Shorten(name, 60) + "” is larger than " + documents.SizeOf(documents.MaxHandoutBytes) + ".")
		return
	}
	data, err := read(header.Open())
	if err == nil {
		f := &documents.Handout{QuizID: id, ID: idOf(name), Name: name, Type: kind, Data: data}
		err = h.Store.Documents.PutHandout(f)
	}
	switch {
	case errors.Is(err, documents.ErrManyHandouts):
		refuse("You’ve reached the limit of files for this quiz. Delete one to add another.")
	case err != nil:
		page.Failed(c, err)
	default:
		back(url.Values{"saved": {"1"}})
	}
}

func read(f io.ReadCloser, err error) ([]byte, error) {
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

// idOf names a file in texts by its own name.
func idOf(name string) string {
	id := slug.Make(strings.TrimSuffix(name, path.Ext(name)))
	if id = id[:min(len(id), 40)]; !quiz.ValidID(id) {
		return "file"
	}
	return id
}

func (h *Handler) dropFile(c *gin.Context) {
	err := h.Store.Documents.DropHandout(c.Param("id"), c.Param("file"))
	if err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/endings?part=files&saved=1")
}
