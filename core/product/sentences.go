package product

import "omphalos/core/say"

// The sentences of the package.
var (
	seeNoProduct = say.New("product.see_no_product",
		"%s of all respondents see no product, because their answers match none. Tick more answers, or add "+
			"a product without ticks as the last one.")
	matchMoreProducts = say.New("product.match_more_products",
		"%s of all respondents match more products than they are shown. They see the first ones in the "+
			"order of this list.")
)
