package endings

import "omphalos/core/say"

// The sentences of the package.
var (
	thereNoProductsAdd    = say.New("endings.there_no_products_add", "there are no products to add")
	loadPageAgain         = say.New("endings.load_page_again", "Load the page again.")
	addFewerProducts      = say.New("endings.add_fewer_products", "Add fewer products.")
	changeUnderConditions = say.New("endings.change_under_conditions", "Change it under “Conditions”.")
)
