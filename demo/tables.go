package demo

import (
	"omphalos/app/store/documents"
)

// tables are the lists next to a quiz of the demonstration.
func tables(slug, standins string) []documents.Table {
	catalogue := documents.Table{Name: documents.Catalogue, Columns: documents.CatalogueColumns}
	for _, p := range [][4]string{ // sku, name, price, sale price
		{"mist-keeper", "Mist-keeper, in clay", "24", ""}, {"sun-spine", "Sun-spine, 40 cm", "31", "26"}, {"stone-leaf", "Stone-leaf, small", "12", ""},
		{"window-split", "Window-split, tall", "58", "49"}, {"night-drinker", "Night-drinker, hardy", "35", ""}, {"cloud-tree", "Cloud-tree, 120 cm", "89", ""},
		{"trailing-string", "Trailing-string, for shelves", "19", ""}, {"drip-cone", "Drip cone, waters for a week", "9", "7"}, {"grow-lamp", "Grow lamp with a timer", "44", ""},
	} {
		picture := "/samples/" + p[0] + ".svg"
		switch p[0] {
		case "drip-cone":
			picture = "/samples/watering-can.svg"
		case "grow-lamp":
			picture = "/samples/dim-corner.svg"
		}
		catalogue.Rows = append(
			catalogue.Rows,
			[]string{p[0], p[1], picture, p[2], p[3], standins + "/shop?sku=" + p[0] + "{&lead.id}"},
		)
	}
	regions := documents.Table{Name: "regions", Columns: []string{"country", "planner", "url", "mail"}}
	for _, r := range [][3]string{
		{"ie", "Aoife Marsh", "aoife"}, {"gb", "Bram Kettle", "bram"}, {"nl", "Sanne Loam", "sanne"},
	} {
		address := standins + "/booking?planner=" + r[0] + "{&area,country,scale.fit,lead.id}"
		regions.Rows = append(regions.Rows, []string{r[0], r[1], address, r[2] + "@larkmoor.example"})
	}
	switch slug {
	case "living-wall":
		return []documents.Table{catalogue, regions}
	case "windowsill":
		return []documents.Table{catalogue}
	}
	return nil
}
