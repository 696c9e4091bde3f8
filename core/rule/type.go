package rule

// Type is what values a fact has: it decides which comparisons fit.
type Type uint8

// The types of facts.
const (
	NumberType   Type = iota
	ChoiceType        // one of the choices of a question
	SetType           // several of them
	OrderType         // several of them, in the order of the respondent
	TextType          // typed, or a link parameter
	DateType          // today
	DayType           // the answer to a date question
	ConsentType       // a box that is ticked or not
	KeywordType       // one of the keywords
	CountryType       // an ISO 3166-1 code
	LanguageType      // a BCP 47 tag
	DeviceType        // phone, tablet or desktop
	OutcomeType       // one of the outcomes
	WeekdayType       // a number, 1 Monday to 7 Sunday
	HourType          // a number, 0 to 23
)

// nameOps are the comparisons of what is one of a few names.
var nameOps = []Op{OpIs, OpIsNot, OpIn, OpNotIn}

var numberOps = []Op{OpGe, OpGt, OpLe, OpLt, OpIs, OpIsNot, OpBetween}

var dateOps = []Op{OpIs, OpLt, OpLe, OpGt, OpGe, OpBetween}

// opsOf lists the comparisons that are offered for each type, in the order in which menus show them.
var opsOf = [...][]Op{
	NumberType:   numberOps,
	ChoiceType:   nameOps,
	SetType:      {OpHas, OpIs},
	OrderType:    {OpHas},
	TextType:     {OpIs, OpIsNot, OpContains, OpIn, OpNotIn},
	DateType:     dateOps,
	DayType:      append(dateOps[:len(dateOps):len(dateOps)], OpAgeGe, OpAgeLt, OpWithin, OpInDaysGe, OpInDaysLt),
	ConsentType:  {OpAnswered, OpBlank},
	KeywordType:  nameOps,
	CountryType:  nameOps,
	LanguageType: nameOps,
	DeviceType:   nameOps,
	OutcomeType:  nameOps,
	WeekdayType:  numberOps,
	HourType:     numberOps,
}

// Ops lists the comparisons that fit facts of the type, apart from whether one is blank.
func (t Type) Ops() []Op { return opsOf[t] }

// Day reports whether values of the type are days.
func (t Type) Day() bool { return t == DateType || t == DayType }

// Number reports whether values of the type are numbers.
func (t Type) Number() bool { return t == NumberType || t == WeekdayType || t == HourType }
