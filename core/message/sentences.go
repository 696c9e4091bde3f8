package message

import "omphalos/core/say"

// The sentences of the package.
var (
	noOneGetsMessageLoosen = say.New("message.no_one_gets_message_loosen",
		"No one gets the message “%s”: %s. Loosen its condition or turn it off.")
	doesntExistWillAppearEmpty = say.New("message.doesnt_exist_will_appear_empty",
		"{%s} doesn’t exist and will appear empty. Choose a field from the menu (Alt+I). To show a "+
			"brace, type {{.")
	noOutcomeStores   = say.New("message.no_outcome_stores", "no outcome stores responses")
	noResponseMatches = say.New("message.no_response_matches", "no stored response can match “%s”")
)
