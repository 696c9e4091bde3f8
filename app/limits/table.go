package limits

// Bound is a place where little input could become much work or output, and what keeps it from that.
type Bound struct {
	What  string // could become too much
	Most  string // the bound, as people read it
	Why   string
	Where string // files, with commas between them
	Tests string // that fail without it, with commas between them
}

// Table lists every bound. docs/limits.md shows it; a test compares the two, and looks for the files and the tests.
var Table = []Bound{
	// What is sent.
	{
		"a form or a body", "64 kB; more where it is named: edits 2 MB, tables 4 MB, imports 8 MB, photographs 12 MB",
		"it is held in memory", "app/limits/bodies.go", "TestABodyWithoutALengthIsBounded",
	},
	{
		"time to send a body, to answer",
		"20 s, 3 minutes where more than 64 kB may come, and 1 kB/s after 10 s from respondents; one " +
			"minute more to answer",
		"an open connection takes 30 kB", "app/limits/bodies.go", "TestABodyHasItsPace",
	},
	{
		"open connections", "8,192; from 6,144 on, those that have waited longest between requests are closed",
		"as many as a system gives a program", "app/limits/connections.go", "TestWaitingConnectionsMakeRoom",
	},
	{
		"windows that listen to edits", "4,096; more ask from time to time",
		"each holds a connection", "app/limits/connections.go", "TestSeats",
	},
	{
		"imports and pictures", "one of each at a time, one of an account, three of it waiting, 8 waiting in all",
		"a photograph takes 200 MB for a moment",
		"app/limits/heavy.go",
		"TestHeavyWorkIsDoneInTurn,TestAnAccountHasOnePlaceInTheQueue",
	},

	// What authors type.
	{
		"a quiz",
		"8 MB, 500 questions, 1,000 checks",
		"it is read whole",
		"core/quiz/read.go",
		"TestCountsOfADocumentAreBounded",
	},
	{
		"one text", "50,000 characters, 200 fields, quotes and lists 20 deep, links of 1 MB in all",
		"a page is made of it for every respondent", "core/quiz/markdown.go", "TestTextsThatAreTooMuch",
	},
	{
		"a text that is filled in", "400 kB a page, 1 MB an email, 8 kB an address, 2 kB a subject and a link’s picture",
		"respondents type what is filled in", "core/fill/text.go", "TestFillingIsBounded",
	},
	{
		"a text as HTML", "2 MB; it is rendered once and remembered, 32 MB in all",
		"references make HTML of many times a text’s size", "app/page/markdown.go,app/page/filled.go",
		"TestMarkdownThatWouldBecomeTooMuch,TestAuthorsTextsAreFilledIn",
	},
	{
		"problems told of a document",
		"50",
		"a file may have a million",
		"core/quiz/problem.go",
		"TestProblemsAreToldUpToFifty",
	},
	{
		"an edit",
		"500 operations",
		"each is applied to the whole",
		"core/quiz/edit.go",
		"TestAnEditHasBoundedOperations",
	},
	{
		"a formula, a value in one", "400 parts; 1,000 characters", "it is calculated for every state",
		"core/rule/formula.go", "TestTextsOfFormulasAreBounded",
	},
	{
		"a number in a document or an answer", "1,000,000,000,000, four decimals in a document",
		"sums stay exact", "core/rule/number.go", "TestAHugeNumberLosesNothing",
	},
	{
		"calculating all respondents",
		"3 s and 96 MB while editing, 10 s and 192 MB in `check`; then 20,000 respondents are " +
			"simulated, for at most 3 s. Two calculations run in parallel",
		"a quiz can have more paths than there are atoms",
		"app/limits/heavy.go,core/reach/budget.go",
		"TestWhatIsTooMuchIsSimulated",
	},
	{
		"messages of a quiz; addresses of one; how long one is tried", "50; 20; a day",
		"each response writes them",
		"core/quiz/message.go,app/delivery/sender.go",
		"TestCountsOfADocumentAreBounded,TestMailIsTriedAgain",
	},

	// Files.
	{
		"a spreadsheet", "48 MB of sheet and 8 MB of text unzipped, 16 MB of text in cells, 500 columns, 60,000 rows",
		"a zip of some kB holds that, and cells share their texts",
		"app/exchange/xlsx.go,app/exchange/shared.go",
		"TestAWorkbookHasBounds",
	},
	{
		"a picture",
		"12 MB, 16,000 pixels a side, about 25 megapixels, 100 scans, 500 million pixels of all scans, 15 s",
		"a few bytes are a look at every pixel", "app/media/encode.go",
		"TestTooMuchIsRefused,TestScansAreCountedBeforeDecoding,TestDecodingEndsWithItsReader",
	},
	{
		"a lookup table",
		"100,000 rows, 500,000 cells; from 1,000 rows on it’s edited as a file; 50 states of its history",
		"it is held in memory", "app/edit/tables.go,app/store/documents/tables.go", "TestALongTable",
	},
	{
		"files that a quiz shares", "30, of 10 MB each", "they are in the database",
		"app/store/documents/handouts.go", "TestBoundsHoldAtOnce",
	},

	// What respondents send and leave.
	{
		"an answer", "500 characters in a line, 10,000 in a long text", "every later page carries it",
		"core/walk/answer.go", "TestTooLongComesBackWhole",
	},
	{
		"the address of a page of the quiz",
		"2,000 characters; longer places are kept by the server for a day, 64 kB each, 4 MB and 400 of " +
			"a network, or stay in the page",
		"browsers and proxies take no longer addresses", "app/engine/held.go,app/store/deliveries/held.go",
		"TestLongPlacesAreHeld,TestLongPlacesWithoutRoomStayInTheirPage,TestHeldPlacesGoAfterADay",
	},
	{
		"keys that a table lacked", "1,000 a table, never of what respondents type", "links can ask for any",
		"app/store/documents/tables.go", "TestMissedKeysAreBounded",
	},
	{
		"sources and values that statistics tell apart",
		"200 sources, 1,000 values of a field; later ones count as others",
		"links can name any", "app/store/tallies/tallies.go", "TestTalliesEqualARecount",
	},
	{
		"tries of a passphrase", "10 a minute from one address", "passphrases are short",
		"app/engine/gate.go", "TestAPassphrase",
	},
	{
		"signing in", "slowed by network and email address, never by the address alone", "passwords are guessed",
		"app/account/account.go", "TestGuessingIsSlowedByNetwork",
	},
	{
		"codes of the second factor", "5 a sign-in, 20 an account in 15 minutes", "there are a million",
		"app/account/factor.go", "TestCodesAreNotGuessed",
	},
	{
		"a password", "10 to 200 characters, and none of those that are tried first", "checking a long one takes long",
		"app/account/account.go", "TestCredentials",
	},
	{"requests of a token", "600 a minute", "a program may loop", "app/api/guard.go", "TestAsksAreCounted"},

	// What is kept of a quiz.
	{
		"people whom a quiz invites; places it is put; filters with a name", "20,000; 200; 100", "pages list them",
		"app/store/responses/admit.go,app/store/documents/places.go,app/store/responses/filters.go",
		"TestInvitationsAreBounded,TestBoundsHoldAtOnce",
	},
	{
		"emails of one list of invitations", "200 MB", "20,000 people may get a long text each",
		"app/store/responses/admit.go", "TestInvitationsAreBounded",
	},
	{
		"webhooks of a quiz; how long a delivery is tried",
		"20; 28 hours an event, five days of failure",
		"each response is sent to all",
		"app/store/deliveries/hooks.go,app/hooks/hooks.go", "TestBoundsHoldAtOnce,TestWhatFailsIsTriedAgain",
	},
	{
		"a deleted quiz", "30 days in the bin, then nothing of it is left in the file", "a mistake can be undone",
		"app/store/erase.go", "TestPurgedIsGone",
	},
	{
		"links to a rehearsal", "20 at a time, 14 days each", "each may hold a draft",
		"app/store/documents/rehearsals.go", "TestBoundsHoldAtOnce",
	},
	{
		"past responses in one import",
		"20,000",
		"each outcome is calculated",
		"app/leads/imports.go",
		"TestPastResponsesComeIn",
	},
	{
		"what scores, deals and a replay look at", "the newest 20,000 responses", "each is recalculated for a page",
		"app/leads/analysis.go", "TestTheNewestAreLearnedFrom",
	},
	{
		"words of a search; how many it counts", "24; 2,000", "a search goes through an index",
		"app/store/responses/words.go", "TestSearchByHowWordsBegin,TestWhatIsFoundOftenIsWalked",
	},
	{
		"how long responses are kept", "for ever, or 1 to 3,653 days", "the owner says so",
		"app/store/responses/forget.go", "TestForgettingLeavesTheFigures",
	},
	{
		"emails", "four in parallel, each quiz in its turn; their text is kept 7 days, the fact that they were sent 90",
		"no email or quiz delays another",
		"app/delivery/sender.go,app/store/deliveries/outbox.go",
		"TestNoQuizKeepsTheMailOfOthersWaiting,TestWhatMailsSaidIsDropped",
	},
}
