// Package reach calculates all respondents of a quiz together. From a document alone it computes the share that reaches
// each outcome, by which line, over which questions and with which scores. It also finds what no one can reach, and
// gives an example for each claim.
//
// # How it counts
//
// The calculation is forward dynamic programming over the questions. A state is everything that the rest of the quiz
// can still depend on, and equal states merge. For example, after three questions with points 0 to 2 on one scale, a
// quiz with only cut points has at most 7 states instead of 27 combinations. A number is kept as it is only where its
// value is wanted; elsewhere it is enough to know which thresholds it can still pass, and once none is left it is
// settled and leaves the state. Counts are exact: probabilities are added, and combinations are counted in whole
// numbers. Where a plan would be too large, a seeded sample of respondents takes its place, and says so.
//
// # Where to begin reading
//
// The files follow the calculation. Each phase knows those before it.
//
//   - Plan: model.go reads the document, options.go what can be answered and lines.go what verdict lines look at
//     (line_*.go for each kind). condition.go makes one forest of all conditions. plan.go plans a pass: uses.go finds
//     until where each number is wanted, layers.go and thresholds.go what each layer holds of it, state.go packs it.
//   - Count: count.go runs forward over the layers and, for shares by question, backward; table.go holds the states,
//     merge.go what they have in common. convolve.go and straight.go are shorter ways for questions that everyone is
//     asked; again.go counts anew only what a change of points reaches; simulate.go samples.
//   - Report: report.go puts shares together, findings.go and remarks.go say what is wrong, a method for each finding,
//     proof.go what is certain without a count.
//   - Advise: leave.go what a question is worth, level.go cut points for wanted shares, spare.go which questions can be
//     spared, advice.go which value is best next.
//
// # Glossary
//
//   - slot: a question, or a fact that is known before the first one, such as the visitor's country.
//   - option: one answer to a slot with its probability, or several that nothing tells apart.
//   - form: a number that conditions and cut points compare with thresholds, in whole units.
//   - tree: a condition as far as it is not decided; a root is a tree with the place that waits for it.
//   - use: a place that wants to know something of a form, and the questions until which that is open.
//   - layer: the place between two questions, with what its states hold.
//   - token: stands in a state for a number whose comparisons are all settled; it says which thresholds it meets.
//   - pass: a count for one purpose (aim), with its conditions, demands, components and course.
//   - shadow: a pass next to another one that tells what a left-out question would have changed.
package reach
