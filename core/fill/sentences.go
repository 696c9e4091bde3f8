package fill

import "omphalos/core/say"

// The sentences of the package.
var (
	addressContainsCharacterIsntAllowed = say.New("fill.address_contains_character_isnt_allowed",
		"the address contains a character that isn’t allowed; encode it, for example %%20 for a space")
	isntDomainUseOneSuch = say.New("fill.isnt_domain_use_one_such", "%q isn’t a domain; use one such as "+
		"example.org")
	theresWithoutMatchingShowBrace = say.New("fill.theres_without_matching_show_brace",
		"there’s a } without a matching {; to show a brace, type %%7D")
)
