package workbench

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// request is what a window sends: an edit, and what it wants to be drawn after it.
type request struct {
	ID     string            `json:"id"`     // of the edit, made at the click
	Window string            `json:"window"` // which window it is
	Base   int               `json:"base"`   // the revision that the window showed
	Patch  json.RawMessage   `json:"patch"`
	Act    *edit.Act         `json:"act"` // instead of Patch
	Room   string            `json:"room"`
	Query  string            `json:"query"`
	Whole  bool              `json:"whole"` // wants the sheet drawn again
	Have   map[string]string `json:"have"`  // stamps of the blocks that the window shows, by key
}

// maxEdit bounds one edit.
const maxEdit = 2 << 20

func readRequest(c *gin.Context) (*request, bool) {
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxEdit))
	var r request
	if err == nil {
		err = json.Unmarshal(body, &r)
	}
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		refuse(c, http.StatusRequestEntityTooLarge, "refused", fmt.Sprintf("This change is too large (limit: %d MB). "+
			"Make it in smaller steps.", maxEdit>>20))
	case err != nil:
		refuse(
			c,
			http.StatusBadRequest,
			"refused",
			"The change wasn’t saved because the request was damaged. Reload the page and try again.",
		)
	default:
		return &r, true
	}
	return nil, false
}

func refuse(c *gin.Context, status int, kind, message string) {
	c.PureJSON(status, gin.H{"kind": kind, "message": message})
}

func (h *Handler) edit(c *gin.Context) {
	r, ok := readRequest(c)
	if !ok {
		return
	}
	var patch quiz.Patch
	var err error
	if r.Act == nil {
		patch, err = quiz.ReadPatch(r.Patch)
	}
	var result *edit.Result
	if err == nil {
		result, err = h.Editor.Apply(
			c.Request.Context(),
			Actor(c),
			c.Param("id"),
			edit.Edit{ID: r.ID, Window: r.Window, Base: r.Base, Patch: patch, Act: r.Act},
		)
	}
	var malformed quiz.Problems
	if errors.As(err, &malformed) {
		err = &edit.Error{Kind: edit.Refused, Message: malformed[0].Sentence(), Problems: malformed}
	}
	h.answer(c, r, result, err)
}

func (h *Handler) history(
	step func(context.Context, edit.Actor, string, string, string) (*edit.Result, error),
) gin.HandlerFunc {
	return func(c *gin.Context) {
		r, ok := readRequest(c)
		if !ok {
			return
		}
		r.Whole = true
		result, err := step(c.Request.Context(), Actor(c), c.Param("id"), r.ID, r.Window)
		h.answer(c, r, result, err)
	}
}

// othersSince tells a window what others have changed since a revision; 204 when nothing has.
func (h *Handler) othersSince(c *gin.Context) {
	base, err := strconv.Atoi(c.Param("revision"))
	if err != nil {
		page.NotFound(c)
		return
	}
	r, ok := readRequest(c)
	if !ok {
		return
	}
	q, err := h.Store.Documents.Quiz(c.Param("id"))
	if errors.Is(err, database.ErrNotFound) {
		refuse(c, http.StatusGone, "gone", "This quiz has been deleted.")
		return
	}
	if err == nil && q.Revision == base {
		c.Status(http.StatusNoContent)
		return
	}
	result := &edit.Result{Quiz: q}
	if err == nil {
		result.Since, err = h.Store.Documents.EditsSince(q, base)
	}
	r.Whole = true
	h.answer(c, r, result, err)
}

// kinds names the kinds of failure for windows.
var kinds = map[edit.Kind]string{
	edit.Gone:      "gone",
	edit.Forbidden: "forbidden",
	edit.Stale:     "stale",
	edit.Refused:   "refused",
	edit.Nothing:   "nothing",
	edit.Busy:      "busy",
}

// reply is what a window gets: the state of the frame, the sheet when it was asked for, and what was done.
type reply struct {
	Kind     string            `json:"kind"` // stored, or why it was not
	Message  string            `json:"message,omitempty"`
	Detail   string            `json:"detail,omitempty"`  // the message for who writes patches, which no page shows
	Code     string            `json:"code,omitempty"`    // of the first problem, where the window acts on it
	Where    string            `json:"where,omitempty"`   // the place that a message is about
	Instead  string            `json:"instead,omitempty"` // the text that would do there
	Revision int               `json:"revision"`
	Name     string            `json:"name"`
	Parts    map[string]string `json:"parts,omitempty"`
	Blocks   []Block           `json:"blocks,omitempty"`
	Since    []string          `json:"since,omitempty"` // what others have changed meanwhile, in words
	Did      string            `json:"did,omitempty"`   // of undo and redo: what it took back or made again, in words
	At       string            `json:"at,omitempty"`
	Said     string            `json:"said,omitempty"`  // what went with the edit
	Focus    string            `json:"focus,omitempty"` // where to continue
	Link     string            `json:"link,omitempty"`
}

// notForPages stands for a problem whose words are for who writes documents: no control of a page brings it about by
// itself.
const notForPages = "Couldn’t save this change, because the quiz has changed. Load the page again, then make your change."

// answer sends what changed on the page.
func (h *Handler) answer(c *gin.Context, r *request, result *edit.Result, err error) {
	out := reply{Kind: "stored"}
	status := http.StatusOK
	var failed *edit.Error
	var since []documents.Revision
	switch {
	case errors.As(err, &failed):
		out.Kind, out.Message, status, since = kinds[failed.Kind], failed.Message, edit.Status(err), failed.Since
		if len(failed.Problems) > 0 {
			out.Code, out.Instead = failed.Problems[0].Code, failed.Problems[0].Instead
			out.Where = h.refer(c.Param("id"), failed.Problems[0].Where)
			if failed.Problems[0].Written {
				out.Message, out.Detail = notForPages, failed.Message
			}
		}
		if failed.Kind != edit.Stale {
			c.PureJSON(status, out)
			return
		}
		r.Whole = true
		q, err := h.Store.Documents.Quiz(c.Param("id"))
		if err != nil {
			page.Failed(c, err)
			return
		}
		result = &edit.Result{Quiz: q}
	case err != nil:
		page.Failed(c, err)
		return
	default:
		since = result.Since
	}
	r.Whole = r.Whole || len(since) > 0 || result.Again
	d, err := h.draft(result.Quiz, account.Of(c))
	if err == nil {
		err = h.draw(&out, r, d)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	out.Since, out.Said, out.Focus = describe(d, since), result.Said, result.Focus
	if err := h.describeStep(&out, d, &result.Made); err != nil {
		page.Failed(c, err)
		return
	}
	c.PureJSON(status, out)
}

// refer names the place of a problem as the pages of a quiz do; a place that is not there stays as it is.
func (h *Handler) refer(id, where string) string {
	q, err := h.Store.Documents.Quiz(id)
	if err != nil {
		return where
	}
	d, err := h.document(q)
	if err != nil {
		return where
	}
	return d.Ref(where)
}

// describe says what revisions did, in words.
func describe(d *Draft, since []documents.Revision) []string {
	var out []string
	for _, rev := range since {
		if patch, err := quiz.ReadLogged(rev.Patch); err == nil {
			out = append(out, d.Doc.Describe(patch))
		}
	}
	return out
}

// describeStep says what an undo took back, or a redo made again, and where that is.
func (h *Handler) describeStep(out *reply, d *Draft, made *documents.Revision) error {
	if made.Kind != documents.KindUndo && made.Kind != documents.KindRedo {
		return nil
	}
	patch, err := quiz.ReadLogged(made.Patch)
	if err != nil || len(patch) == 0 {
		return err
	}
	said, err := quiz.ReadLogged(made.Inverse)
	if made.Kind == documents.KindRedo {
		said, err = h.origin(made)
	}
	if err != nil {
		return err
	}
	out.Did = stepped(d.Doc.Describe(said), made.Kind)
	out.At, out.Link = d.Doc.Ref(patch[0].Path), d.Link(patch[0].Path)
	return nil
}

// stepped says what was undone or redone: "Undid the change to the address of “Thank you”".
func stepped(did, kind string) string {
	said := map[string]string{documents.KindUndo: "undid", documents.KindRedo: "redid"}[kind]
	if what, changed := strings.CutPrefix(did, "changed "); changed && !strings.Contains(did, ";") {
		return page.Upper(said) + " the change to " + what
	}
	return page.Upper(said) + ": " + did
}

// origin is the patch of the edit that a redo makes again.
func (h *Handler) origin(r *documents.Revision) (quiz.Patch, error) {
	for r.Cancels > 0 {
		below, err := h.Store.Documents.Revision(r.QuizID, r.Cancels)
		if err != nil {
			return nil, err
		}
		r = below
	}
	return quiz.ReadLogged(r.Patch)
}

// draw draws the pieces of the page by their element id, and the sheet by its blocks where the room has them.
func (h *Handler) draw(out *reply, r *request, d *Draft) error {
	out.Revision, out.Name = d.Quiz.Revision, d.Quiz.Name
	room := h.room(r.Room)
	f := &frame{Draft: d, Bench: h, Current: room.Key}
	if r.Whole {
		query, _ := url.ParseQuery(strings.TrimPrefix(r.Query, "?")) // a query that cannot be read asks for nothing
		var err error
		if f, err = h.frame(d, room, query); err != nil {
			return err
		}
	}
	drawn := func(name string) string { return string(page.Execute(room.Template, name, f)) }
	out.Parts = map[string]string{"state": drawn("state"), "rooms": drawn("rooms")}
	if !r.Whole {
		return nil
	}
	if len(r.Have) > 0 && room.Blocks != nil {
		if blocks := room.Blocks(f.Sheet); blocks != nil {
			out.Blocks = missing(blocks, r.Have)
			return nil
		}
	}
	out.Parts["room"] = drawn("sheet")
	return nil
}
