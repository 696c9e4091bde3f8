package samples

import (
	"math"
	"slices"
)

func drawings() []Sample { return slices.Concat(plants(), rooms(), care(), things()) }

func draw(name, tags, alt string, f func(*sheet)) Sample {
	var s sheet
	f(&s)
	return Sample{name, tags, alt, s.finish()}
}

// plant draws a wall, what f draws, and a pot before it.
func plant(wall, pot, rim string, f func(*sheet)) func(*sheet) {
	return func(s *sheet) {
		s.room(wall)
		f(s)
		s.pot(200, 200, 92, 74, pot, rim)
	}
}

// plants stand in pots, each in a room.
func plants() []Sample {
	return []Sample{
		draw("mist-keeper", "plant fern green shade bathroom humid pot", "A fern with long fronds in a clay pot", plant(chalk, clay, clayDark, func(s *sheet) {
			for _, a := range []float64{-74, -46, -20, 8, 34, 62} {
				s.frond(200, 200, a, 138, green)
			}
		})),
		draw("sun-spine", "plant cactus dry sun desert pot spines", "A tall cactus with two arms in a clay pot", plant("#f6ecd9", clay, clayDark, func(s *sheet) {
			s.add(`<path d="M200 200V70M200 150H158V112M200 128h44V92" stroke="%s" stroke-width="38" stroke-linecap="round" stroke-linejoin="round"/>`, green)
			for y := 62.0; y < 196; y += 15 {
				s.line(194, y, 206, y-4, 2, chalk)
			}
			s.circle(200, 50, 8, wine)
		})),
		draw("stone-leaf", "plant succulent rosette dry small pot", "A succulent, a rosette of thick leaves", plant(chalk, steel, "#858e93", func(s *sheet) {
			for ring := range 3 {
				for i := range 9 - 2*ring {
					a := -80 + float64(i)*160/float64(8-2*ring)
					s.leaf(200, 200, a, 92-float64(ring)*22, 17, []string{deep, green, light}[ring])
				}
			}
		})),
		draw("window-split", "plant large leaves tropical holes pot", "A plant with large split leaves", plant("#eef1ea", indigo, "#3b4873", func(s *sheet) {
			for _, l := range [][3]float64{{-58, 112, 50}, {-20, 150, 56}, {22, 138, 54}, {60, 104, 48}} {
				a := (l[0] - 90) * math.Pi / 180
				x, y := 200+math.Cos(a)*l[1]*0.62, 200+math.Sin(a)*l[1]*0.62
				s.line(200, 200, x, y, 4, deep)
				s.leaf(x, y, l[0], l[1]*0.72, l[2]*0.82, green)
				for k := -1.0; k <= 1; k += 2 {
					for i := 1.0; i <= 3; i++ {
						s.add(`<path transform="translate(%.1f %.1f) rotate(%.1f)" d="M%.1f %.1fl%.1f -5" stroke="#eef1ea" stroke-width="5" stroke-linecap="round"/>`, x, y, l[0], k*9, -l[1]*0.16*i-6, k*26)
					}
				}
			}
		})),
		draw("night-drinker", "plant tall blades snake hardy pot", "A plant of tall upright blades with pale edges", plant(chalk, ink, "#14171a", func(s *sheet) {
			for i, a := range []float64{-22, -12, -3, 6, 15, 25} {
				s.leaf(200+float64(i-2)*9, 204, a, 150-math.Abs(a), 13, moss)
				s.leaf(200+float64(i-2)*9, 204, a, 142-math.Abs(a), 8, deep)
			}
		})),
		draw("cloud-tree", "plant tree round crown small pot", "A small tree with a round crown", plant("#eef3f4", clay, clayDark, func(s *sheet) {
			s.line(200, 200, 200, 110, 9, wood)
			for _, c := range [][3]float64{{170, 100, 40}, {228, 96, 42}, {200, 66, 46}, {200, 106, 40}} {
				s.circle(c[0], c[1], c[2], green)
			}
			for _, c := range [][3]float64{{184, 78, 18}, {222, 80, 14}, {202, 52, 16}} {
				s.circle(c[0], c[1], c[2], light)
			}
		})),
		draw("trailing-string", "plant hanging trailing pearls shelf", "A plant that trails in long strings from a shelf", func(s *sheet) {
			s.room(chalk)
			s.rect(90, 96, 220, 10, wood)
			s.pot(200, 50, 84, 46, clay, clayDark)
			for i := range 9 {
				x := 160 + float64(i)*10
				for y := 60.0; y < 130+float64((i*53)%110); y += 12 {
					s.circle(x+math.Sin(y/17+float64(i))*4, y, 5, green)
				}
			}
		}),
	}
}

// rooms are where plants are wanted.
func rooms() []Sample {
	return []Sample{
		draw("living-wall", "wall office plants green large", "A wall of an office, covered with plants", func(s *sheet) {
			s.rect(0, 0, 400, 300, shade)
			s.rect(40, 30, 320, 200, deep)
			for i := range 96 {
				x, y := 52+float64(i%16)*20, 46+float64(i/16)*32
				s.leaf(x, y+22, float64((i*47)%90)-45, 34, 10, []string{green, light, moss, "#3f8a72"}[(i*7)%4])
			}
			s.rect(0, 246, 400, 54, "#d3cfc2")
			s.rect(150, 214, 100, 12, wood)
			s.rect(160, 226, 8, 40, wood)
			s.rect(232, 226, 8, 40, wood)
		}),
		draw("office-desk", "office desk work lamp computer", "A desk with a lamp and a small plant", func(s *sheet) {
			s.room(chalk)
			s.rect(60, 196, 280, 12, wood)
			s.rect(76, 208, 10, 62, wood)
			s.rect(314, 208, 10, 62, wood)
			s.rect(140, 124, 110, 66, ink)
			s.rect(147, 131, 96, 52, sky)
			s.rect(186, 188, 18, 8, ink)
			s.line(290, 196, 300, 130, 4, steel)
			s.leaf(300, 128, 215, 40, 18, wine)
			for _, a := range []float64{-30, 0, 30} {
				s.leaf(98, 172, a, 40, 9, green)
			}
			s.pot(98, 172, 30, 24, clay, clayDark)
		}),
		draw("bright-window", "window light sun bright room sill", "A window with sun in it", func(s *sheet) {
			s.room(chalk)
			s.window(110, 40, 180, 150)
			s.rect(90, 196, 220, 12, wood)
			for i, x := range []float64{140, 200, 260} {
				for _, a := range []float64{-26, 0, 26} {
					s.leaf(x, 178, a, 30+float64(i)*6, 8, green)
				}
				s.pot(x, 178, 26, 20, clay, clayDark)
			}
		}),
		draw("dim-corner", "corner dark shade lamp room dim", "A dim corner with a floor lamp", func(s *sheet) {
			s.rect(0, 0, 400, 300, "#5a5f66")
			s.rect(0, 246, 400, 54, "#474b51")
			s.add(`<path d="M250 84l-70 162h150z" fill="#7d7f7c"/>`)
			s.line(250, 84, 250, 250, 5, ink)
			s.add(`<path d="M224 84l12-36h28l12 36z" fill="%s"/>`, sun)
			for _, a := range []float64{-40, -14, 14, 40} {
				s.leaf(120, 214, a, 76, 14, deep)
			}
			s.pot(120, 214, 54, 44, ink, "#14171a")
		}),
	}
}

// care is what goes right and wrong with plants.
func care() []Sample {
	return []Sample{
		draw("watering-can", "water can watering care pour", "A watering can", func(s *sheet) {
			s.room(sky)
			s.add(`<path d="M150 130h110v110h-110z" fill="%s"/><path d="M150 170L86 118" stroke="%s" stroke-width="16" stroke-linecap="round"/>`, green, green)
			s.add(`<path d="M260 150c60-8 60 72 0 66" stroke="%s" stroke-width="11"/>`, deep)
			s.add(`<path d="M70 126l26-24" stroke="%s" stroke-width="12" stroke-linecap="round"/>`, deep)
			for i := range 6 {
				s.circle(58-float64(i%3)*9, 142+float64(i)*15, 4, indigo)
			}
		}),
		draw("dry-soil", "soil dry cracked thirsty water pot", "Dry, cracked soil in a pot, and a drooping plant", plant("#f3e6d4", clay, clayDark, func(s *sheet) {
			for _, a := range []float64{-100, -84, 86, 104} {
				s.leaf(200, 190, a, 84, 9, moss)
			}
			s.add(`<path d="M160 200l18-8 12 8 16-10 14 10 20-8" stroke="%s" stroke-width="3"/>`, ink)
		})),
		draw("drenched", "water too much wet puddle pot", "A pot that stands in a puddle", plant("#e4eef2", steel, "#858e93", func(s *sheet) {
			s.add(`<ellipse cx="200" cy="276" rx="130" ry="16" fill="%s"/>`, "#8fb4c4")
			for _, a := range []float64{-52, -18, 18, 52} {
				s.leaf(200, 200, a, 96, 16, "#a9b061")
			}
			for i := range 7 {
				s.circle(130+float64(i)*24, 60+float64((i*37)%70), 5, indigo)
			}
		})),
		draw("finger-test", "hand finger soil test water check", "A finger pressed into the soil of a pot", func(s *sheet) {
			s.room(chalk)
			s.pot(200, 170, 150, 104, clay, clayDark)
			s.add(`<path d="M188 172V64c0-16 26-16 26 0v108z" fill="#d9a585"/><path d="M214 96h44c22 0 22-44 0-44h-58z" fill="#d9a585"/>`)
			s.rect(126, 164, 148, 10, "#4a3728")
		}),
	}
}

// things are what is left: shops, backgrounds, visits.
func things() []Sample {
	return []Sample{
		draw("shelf-of-pots", "shelf pots shop collection small", "A shelf with six small pots", func(s *sheet) {
			s.room(chalk)
			for row := range 2 {
				y := 120 + float64(row)*104
				s.rect(50, y, 300, 9, wood)
				for i := range 3 {
					x := 104 + float64(i)*96
					for _, a := range []float64{-34, 0, 34} {
						s.leaf(x, y-36, a+float64(row*9), 38+float64(i*6), 9+float64(row*3), []string{green, moss, light}[(i+row)%3])
					}
					s.pot(x, y-36, 46, 35, []string{clay, indigo, steel}[(i+2*row)%3], ink)
				}
			}
		}),
		draw("seedling", "seedling sprout young start grow", "A seedling with two leaves", func(s *sheet) {
			s.room("#eef3ea")
			s.rect(0, 220, 400, 80, "#6b4f3a")
			s.line(200, 222, 200, 140, 6, green)
			s.leaf(200, 146, -58, 78, 22, green)
			s.leaf(200, 146, 58, 78, 22, light)
		}),
		draw("lozenge-net", "pattern net background ornament", "A net of lozenges", func(s *sheet) {
			s.rect(0, 0, 400, 300, chalk)
			s.net("#d8c9c0")
		}),
		draw("soft-hills", "background hills landscape calm", "Soft green hills", func(s *sheet) {
			s.rect(0, 0, 400, 300, "#eef3f1")
			s.circle(312, 74, 30, "#f0dca0")
			s.add(`<path d="M0 190C90 130 170 210 260 164s120 6 140 0V300H0z" fill="#c5d8cd"/><path d="M0 236c100-50 190 20 280-16s110 0 120-6V300H0z" fill="#a3c2b2"/>`)
		}),
		draw("visit-van", "van delivery visit travel planner", "A planner’s van with a plant on its side", func(s *sheet) {
			s.room(sky)
			s.add(`<path d="M70 110h180v120H70zM250 146h50l34 44v40h-84z" fill="%s"/>`, white)
			s.add(`<path d="M262 158h32l22 30h-54z" fill="%s"/>`, steel)
			s.circle(120, 234, 26, ink)
			s.circle(282, 234, 26, ink)
			s.circle(120, 234, 10, steel)
			s.circle(282, 234, 10, steel)
			for _, a := range []float64{-44, 0, 44} {
				s.leaf(160, 206, a, 66, 15, green)
			}
		}),
		draw("plan-drawing", "plan drawing paper design planner", "A plan of a planted wall on paper", func(s *sheet) {
			s.room(shade)
			s.add(`<path d="M70 50h240l20 20v190H70z" fill="%s"/>`, white)
			for i := range 5 {
				s.line(96, 92+float64(i)*32, 300, 92+float64(i)*32, 1, steel)
				s.line(96+float64(i)*51, 92, 96+float64(i)*51, 220, 1, steel)
			}
			for i := range 8 {
				s.leaf(116+float64(i%4)*51, 122+float64(i/4)*62, float64(i*23%50)-25, 26, 8, green)
			}
			s.line(268, 246, 330, 160, 6, wine)
		}),
		draw("thank-you", "thanks gift card flower", "A card with a flower on it", func(s *sheet) {
			s.room(chalk)
			s.add(`<path d="M110 80l180-18 14 150-180 18z" fill="%s"/>`, white)
			for i := range 6 {
				s.leaf(206, 146, float64(i)*60, 44, 14, wine)
			}
			s.circle(206, 146, 11, sun)
		}),
	}
}
