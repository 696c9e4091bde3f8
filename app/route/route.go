// Package route says of each address of the program who may ask for it and what it takes. Everything that treats
// addresses apart reads it: the door, the bounds, the API, what a viewer’s pages leave out.
package route

import "strings"

// Right is what an address needs of anyone who asks.
type Right int

// The rights, each holding those before it.
const (
	None   Right = iota
	Open         // nothing: no sign-in is needed
	See          // to read a quiz, its figures and its leads
	Change       // to change, launch and export
	Own          // people, rights, everything about a person, deleting permanently
)

// Route is what holds for an address.
type Route struct {
	Right Right
	For   string // whom an open address is for; "" where its name says it
	Verb  string // what the journal says when it was used; "" for nothing

	Body      int64 // how much may be sent to it, in bytes; 0 is as much as to any address
	Paced     bool  // anyone sends that much, so it must keep coming
	Elsewhere bool  // pages of other sites may post to it
}

const mega = 1 << 20

// Of is what holds for an address, given as its method and pattern; false for one that has no rule, which no one may
// use. HEAD is as GET.
func Of(method, pattern string) (Route, bool) {
	if method == "HEAD" {
		method = "GET"
	}
	r, ok := Table[method+" "+pattern]
	return r, ok
}

// OfAPI reports whether a pattern is the API’s, which knows its programs by tokens.
func OfAPI(pattern string) bool { return strings.HasPrefix(pattern, "/api/") }

// Table has every address, as its method and pattern.
var Table = map[string]Route{
	// Open to anyone, without a sign-in.
	"GET /healthz":        {Right: Open, For: "what watches the server"},
	"GET /readyz":         {Right: Open, For: "what shares out requests"},
	"GET /assets/*name":   {Right: Open, For: "scripts and styles"},
	"GET /sign-in":        {Right: Open},
	"POST /sign-in":       {Right: Open},
	"POST /sign-out":      {Right: Open},
	"GET /set-up/:token":  {Right: Open, For: "anyone with this link, once"},
	"POST /set-up/:token": {Right: Open, For: "anyone with this link, once"},
	"GET /demo/:token":    {Right: Open, For: "anyone with this link, once"},
	"GET /q/:slug":        {Right: Open, For: "respondents"},
	"POST /q/:slug": {
		Right: Open, For: "respondents, in a frame of another site too", Elsewhere: true, Paced: true,
		Body: mega, // a page of 50 long texts in a script that takes three bytes a letter
	},
	"GET /q/:slug/end/:token":    {Right: Open, For: "respondents"},
	"GET /q/:slug/result/:token": {Right: Open, For: "anyone who was sent a result"},
	"GET /q/:slug/look/:stamp":   {Right: Open, For: "respondents"},
	"GET /q/:slug/tag/:token":    {Right: Open, For: "the owner's tag"},
	"GET /results/:key":          {Right: Open, For: "anyone who was sent the results"},
	"GET /rehearsal/:key":        {Right: Open, For: "anyone who was sent a rehearsal"},
	// As much as a respondent’s page.
	"POST /rehearsal/:key":            {Right: Open, For: "anyone who was sent a rehearsal", Body: mega, Paced: true},
	"GET /rehearsal/:key/look/:stamp": {Right: Open, For: "anyone who was sent a rehearsal"},
	"GET /kit.js":                     {Right: Open, For: "any page"},
	"GET /kit/:slug":                  {Right: Open, For: "any page"},
	"GET /media/:id":                  {Right: Open, For: "pictures on respondents' pages"},
	"GET /samples/:name":              {Right: Open, For: "pictures on respondents' pages"},
	"GET /f/:quiz/:token":             {Right: Open, For: "anyone who was handed a file"},
	"GET /api/v1/":                    {Right: Open, For: "the API, described"},
	"GET /api/v1/openapi.json":        {Right: Open, For: "the API, described"},
	"GET /join/:token":                {Right: Open, For: "anyone with this link, once"},
	"POST /join/:token":               {Right: Open, For: "anyone with this link, once"},
	"GET /forgot":                     {Right: Open},
	"POST /forgot":                    {Right: Open},
	"GET /reset/:token":               {Right: Open, For: "anyone with this link, once"},
	"POST /reset/:token":              {Right: Open, For: "anyone with this link, once"},
	"GET /sign-in/code":               {Right: Open, For: "between password and second factor"},
	"POST /sign-in/code":              {Right: Open, For: "between password and second factor"},
	"POST /sign-in/with":              {Right: Open, For: "to a sign-in elsewhere"},
	"GET /sign-in/with/back":          {Right: Open, For: "from a sign-in elsewhere"},
	"GET /m/:quiz/:token":             {Right: Open, For: "anyone who was sent a letter"},
	"POST /m/:quiz/:token":            {Right: Open, For: "the same, and mail programs (RFC 8058)", Elsewhere: true},
	"GET /metrics":                    {Right: Open, For: "programs of this machine alone"},

	// Reading.
	"GET /":                               {Right: See},
	"GET /account":                        {Right: See},
	"POST /account/factor":                {Right: See},
	"POST /account/factor/confirm":        {Right: See, Verb: "turned on a second factor"},
	"POST /account/factor/drop":           {Right: See, Verb: "turned off their second factor"},
	"POST /account/password":              {Right: See, Verb: "changed their password"},
	"POST /account/seen":                  {Right: See},
	"POST /account/sessions/:session/end": {Right: See},
	"POST /account/sign-out-everywhere":   {Right: See},
	"POST /account/tokens/:token/drop":    {Right: See, Verb: "revoked a token"},
	"GET /guide":                          {Right: See},
	"GET /guide/:page":                    {Right: See},
	"GET /guide/pictures/:name":           {Right: See},
	"GET /quizzes/:id":                    {Right: See},
	"GET /quizzes/:id/advice":             {Right: See},
	"GET /quizzes/:id/assumed":            {Right: See},
	"GET /quizzes/:id/endings":            {Right: See},
	"GET /quizzes/:id/endings/preview":    {Right: See},
	"GET /quizzes/:id/events":             {Right: See},
	"GET /quizzes/:id/export/:file":       {Right: See},
	"GET /quizzes/:id/fields":             {Right: See},

	"GET /quizzes/:id/launch":        {Right: See},
	"GET /quizzes/:id/launch/qr":     {Right: See},
	"GET /quizzes/:id/launch/qr.png": {Right: See},
	"GET /quizzes/:id/launch/qr.svg": {Right: See},
	"GET /quizzes/:id/launch/sample": {Right: See},

	"GET /quizzes/:id/leads":      {Right: See},
	"GET /quizzes/:id/leads/came": {Right: See},

	"GET /quizzes/:id/level": {Right: See},
	"GET /quizzes/:id/mend":  {Right: See},

	"GET /quizzes/:id/messages":         {Right: See},
	"GET /quizzes/:id/messages/preview": {Right: See},

	"GET /quizzes/:id/norm/:scale": {Right: See},
	"GET /quizzes/:id/paths":       {Right: See},
	"GET /quizzes/:id/paths.svg":   {Right: See},
	"GET /quizzes/:id/reach":       {Right: See},

	"GET /quizzes/:id/rehearse":      {Right: See},
	"GET /quizzes/:id/rehearse/go":   {Right: See},
	"GET /quizzes/:id/rehearse/page": {Right: See},
	// As a respondent’s page.
	"POST /quizzes/:id/rehearse/page":            {Right: See, Body: mega},
	"GET /quizzes/:id/rehearse/page/look/:stamp": {Right: See},
	"GET /quizzes/:id/rehearse/side":             {Right: See},
	"GET /quizzes/:id/rehearse/since/:check":     {Right: See},
	"GET /quizzes/:id/rehearse/what":             {Right: See},

	"GET /quizzes/:id/script": {Right: See},
	"GET /quizzes/:id/spare":  {Right: See},
	// Stamps of the blocks of a long script.
	"POST /quizzes/:id/since/:revision": {Right: See, Body: mega},

	"GET /quizzes/:id/tables/:table/table.csv": {Right: See},

	"GET /quizzes/:id/verdicts": {Right: See},

	// Changing, launching, exporting.
	"POST /account/tokens": {Right: Change, Verb: "created a token"},
	"GET /import":          {Right: Change},
	// The largest document.
	"POST /import": {Right: Change, Body: 8*mega + 1e5},
	// The same, escaped in a form.
	"POST /import/take": {Right: Change, Verb: "imported a quiz", Body: 24 * mega},
	"GET /pictures":     {Right: Change},
	// A photograph of 20 megapixels, and the form around it.
	"POST /pictures":               {Right: Change, Body: 12*mega + 1e5},
	"POST /pictures/:id":           {Right: Change},
	"POST /quizzes":                {Right: Change, Verb: "created a quiz"},
	"POST /quizzes/:id/archive":    {Right: Change, Verb: "archived a quiz"},
	"POST /quizzes/:id/assumed":    {Right: Change},
	"POST /quizzes/:id/deals":      {Right: Change},
	"POST /quizzes/:id/deals/take": {Right: Change, Verb: "imported deals"},
	"POST /quizzes/:id/delete":     {Right: Change, Verb: "deleted a quiz"},
	"POST /quizzes/:id/duplicate":  {Right: Change, Verb: "duplicated a quiz"},
	// A question with a table of answers.
	"POST /quizzes/:id/edits":         {Right: Change, Verb: "edited", Body: 2 * mega},
	"GET /quizzes/:id/exchange":       {Right: Change},
	"POST /quizzes/:id/exchange":      {Right: Change, Body: 8*mega + 1e5},
	"POST /quizzes/:id/exchange/take": {Right: Change, Verb: "edited", Body: 24 * mega},
	// A file to hand out.
	"POST /quizzes/:id/files":                    {Right: Change, Verb: "uploaded a file", Body: 10*mega + 1e5},
	"POST /quizzes/:id/files/:file/delete":       {Right: Change, Verb: "deleted a file"},
	"POST /quizzes/:id/imports/:import/take-out": {Right: Change, Verb: "undid an import"},

	"POST /quizzes/:id/launch":                             {Right: Change, Verb: "launched"},
	"POST /quizzes/:id/launch/again/:number":               {Right: Change, Verb: "launched"},
	"POST /quizzes/:id/launch/choose/:number":              {Right: Change, Verb: "ended a split test"},
	"GET /quizzes/:id/launch/deliveries":                   {Right: Change},
	"POST /quizzes/:id/launch/deliveries/:delivery/resend": {Right: Change},
	"POST /quizzes/:id/launch/frames": {
		Right: Change, Verb: "changed which sites may embed the quiz",
	},
	"POST /quizzes/:id/launch/hooks":                          {Right: Change, Verb: "added a webhook"},
	"POST /quizzes/:id/launch/link":                           {Right: Change, Verb: "renamed the link"},
	"POST /quizzes/:id/launch/hooks/:hook/drop":               {Right: Change, Verb: "deleted a webhook"},
	"POST /quizzes/:id/launch/hooks/:hook/off":                {Right: Change, Verb: "turned off a webhook"},
	"POST /quizzes/:id/launch/hooks/:hook/on":                 {Right: Change, Verb: "turned on a webhook"},
	"POST /quizzes/:id/launch/hooks/:hook/rotate":             {Right: Change, Verb: "created a new webhook secret"},
	"POST /quizzes/:id/launch/hooks/:hook/test":               {Right: Change},
	"GET /quizzes/:id/launch/invitations.csv":                 {Right: Change, Verb: "exported invitations"},
	"POST /quizzes/:id/launch/invitations/:invitation/revoke": {Right: Change},
	// 20,000 people.
	"POST /quizzes/:id/launch/invite":             {Right: Change, Verb: "invited respondents", Body: 2 * mega},
	"POST /quizzes/:id/launch/places":             {Right: Change},
	"POST /quizzes/:id/launch/places/:place/drop": {Right: Change},
	"POST /quizzes/:id/launch/shared":             {Right: Change},
	"POST /quizzes/:id/launch/split":              {Right: Change},
	"POST /quizzes/:id/launch/take/:number":       {Right: Change},
	"POST /quizzes/:id/launch/who":                {Right: Change, Verb: "changed access or schedule"},

	"GET /quizzes/:id/leads.answers.csv": {Right: Change, Verb: "exported leads"},

	"GET /quizzes/:id/leads.csv": {Right: Change, Verb: "exported leads"},

	"GET /quizzes/:id/leads.jsonl": {Right: Change, Verb: "exported leads"},

	"GET /quizzes/:id/leads.xlsx": {Right: Change, Verb: "exported leads"},

	"POST /quizzes/:id/leads/:lead/deal":    {Right: Change},
	"POST /quizzes/:id/leads/:lead/delete":  {Right: Change, Verb: "deleted a response"},
	"POST /quizzes/:id/leads/:lead/take-in": {Right: Change},
	"GET /quizzes/:id/leads/bring-in":       {Right: Change},
	// 20,000 past responses.
	"POST /quizzes/:id/leads/bring-in": {Right: Change, Body: 8*mega + 1e5},
	// The same, escaped in a form.
	"POST /quizzes/:id/leads/bring-in/take":  {Right: Change, Verb: "imported responses", Body: 24 * mega},
	"POST /quizzes/:id/leads/filters":        {Right: Change},
	"POST /quizzes/:id/leads/filters/drop":   {Right: Change},
	"POST /quizzes/:id/leads/keeping":        {Right: Change, Verb: "changed how long responses are kept"},
	"POST /quizzes/:id/leads/results":        {Right: Change, Verb: "shared results"},
	"POST /quizzes/:id/leads/results/revoke": {Right: Change, Verb: "revoked shared results"},

	"POST /quizzes/:id/messages/confirm":            {Right: Change, Verb: "changed how consent is confirmed"},
	"POST /quizzes/:id/messages/leave":              {Right: Change, Verb: "removed someone from the mailing list"},
	"GET /quizzes/:id/messages/list.csv":            {Right: Change, Verb: "exported the mailing list"},
	"POST /quizzes/:id/messages/mails/:mail/resend": {Right: Change, Verb: "sent an email again"},
	"POST /quizzes/:id/messages/pause/:message":     {Right: Change, Verb: "paused or resumed a message"},
	"POST /quizzes/:id/messages/try/:message":       {Right: Change, Verb: "sent a test email"},

	"GET /quizzes/:id/others": {Right: Change},
	// Stamps of the blocks of a long script.
	"POST /quizzes/:id/redo": {Right: Change, Verb: "edited", Body: mega},

	"POST /quizzes/:id/rehearse/links":              {Right: Change},
	"POST /quizzes/:id/rehearse/links/:link/revoke": {Right: Change},
	"GET /quizzes/:id/rehearse/propose":             {Right: Change},

	"POST /quizzes/:id/tags":              {Right: Change},
	"POST /quizzes/:id/unarchive":         {Right: Change, Verb: "took a quiz out of the archive"},
	"POST /quizzes/:id/restore":           {Right: Change, Verb: "restored a quiz"},
	"GET /quizzes/:id/settings/:question": {Right: Change},

	"POST /quizzes/:id/tables": {Right: Change, Verb: "created a table"},
	// A table as it is edited.
	"POST /quizzes/:id/tables/:table":              {Right: Change, Verb: "changed a table", Body: 4 * mega},
	"POST /quizzes/:id/tables/:table/back/:number": {Right: Change, Verb: "changed a table"},
	"POST /quizzes/:id/tables/:table/delete":       {Right: Change, Verb: "deleted a table"},
	"POST /quizzes/:id/tables/:table/undelete":     {Right: Change, Verb: "restored a table"},
	// 50,000 rows.
	"POST /quizzes/:id/tables/:table/file": {Right: Change, Verb: "changed a table", Body: 4 * mega},
	"POST /quizzes/:id/tables/:table/seen": {Right: Change},

	// Stamps of the blocks of a long script.
	"POST /quizzes/:id/undo": {Right: Change, Verb: "edited", Body: mega},

	"GET /starters":                {Right: Change},
	"POST /starters/:starter/take": {Right: Change, Verb: "created a quiz"},

	// Owning.
	"GET /journal":                     {Right: Own},
	"GET /journal.csv":                 {Right: Own, Verb: "exported the journal"},
	"GET /people":                      {Right: Own},
	"POST /people":                     {Right: Own},
	"POST /people/delete":              {Right: Own, Verb: "deleted a person’s data"},
	"POST /people/export":              {Right: Own, Verb: "exported a person’s data"},
	"POST /quizzes/:id/purge":          {Right: Own, Verb: "permanently deleted a quiz"},
	"GET /team":                        {Right: Own},
	"POST /team/:account/delete":       {Right: Own, Verb: "deleted an account"},
	"POST /team/:account/rights":       {Right: Own, Verb: "changed someone’s role"},
	"POST /team/:account/sessions/end": {Right: Own, Verb: "signed someone out everywhere"},
	"POST /team/invite":                {Right: Own, Verb: "invited a team member"},
	"POST /team/invites/:invite/drop":  {Right: Own, Verb: "cancelled an invitation"},

	// The API: what reads needs a token with the scope read, what changes one with write.
	"GET /api/v1/hooks":        {Right: See},
	"POST /api/v1/hooks":       {Right: Change, Verb: "added a webhook"},
	"DELETE /api/v1/hooks/:id": {Right: Change, Verb: "deleted a webhook"},
	"GET /api/v1/quizzes":      {Right: See},
	// The largest document.
	"POST /api/v1/quizzes":           {Right: Change, Verb: "created a quiz", Body: 8*mega + 1e5},
	"POST /api/v1/quizzes/:id/check": {Right: See},
	"GET /api/v1/quizzes/:id/draft":  {Right: See},
	// As an edit of a window.
	"PATCH /api/v1/quizzes/:id/draft":                   {Right: Change, Verb: "edited", Body: 2 * mega},
	"PUT /api/v1/quizzes/:id/link":                      {Right: Change, Verb: "renamed the link"},
	"POST /api/v1/quizzes/:id/launch":                   {Right: Change, Verb: "launched"},
	"GET /api/v1/quizzes/:id/responses":                 {Right: See},
	"GET /api/v1/quizzes/:id/results":                   {Right: See},
	"GET /api/v1/quizzes/:id/tables/:name":              {Right: See},
	"PUT /api/v1/quizzes/:id/tables/:name":              {Right: Change, Verb: "changed a table", Body: 4 * mega},
	"DELETE /api/v1/quizzes/:id/tables/:name/rows/:key": {Right: Change, Verb: "changed a table"},
	"PATCH /api/v1/quizzes/:id/tables/:name/rows/:key":  {Right: Change, Verb: "changed a table"},
	"PUT /api/v1/quizzes/:id/tables/:name/rows/:key":    {Right: Change, Verb: "changed a table"},
	"GET /api/v1/quizzes/:id/versions":                  {Right: See},
	"GET /api/v1/responses/:id":                         {Right: See},
	"PUT /api/v1/responses/:id/deal":                    {Right: Change},
}
