package reach

// Finding is something that the specialist should look at.
type Finding struct {
	Code     string         `json:"code"`
	Severity string         `json:"severity"` // error, warning or note
	Where    string         `json:"where"`    // JSON Pointer
	Message  string         `json:"message"`
	Share    *float64       `json:"share,omitempty"`
	Witness  map[string]any `json:"witness,omitempty"`
}

func (k *checker) findings() error { return nil }
