// Command client makes, launches and reads a quiz with a client that was generated from the API's description.
package main

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strings"
)

const document = `{"format":"omphalos-quiz/1","name":"By a generated client","questions":[{"id":"q","kind":"single","required":true,"text":"Which?",
	"choices":[{"id":"a","label":"A"},{"id":"b","label":"B"}]}],"outcomes":[{"id":"one","heading":"One"},{"id":"two","heading":"Two"}],
	"verdicts":[{"when":{"fact":"answer.q","op":"is","value":"a"},"outcome":"one"}],"otherwise":"two"}`

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	ctx := context.Background()
	c, err := NewClientWithResponses(
		os.Getenv("BASE"),
		WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
			r.Header.Set("Authorization", "Bearer "+os.Getenv("TOKEN"))
			return nil
		}),
	)
	if err != nil {
		return err
	}
	made, err := c.MakeQuizWithBodyWithResponse(ctx, &MakeQuizParams{}, "application/json", strings.NewReader(document))
	if err != nil || made.JSON201 == nil {
		return fmt.Errorf("make: %v %s", err, made.Body)
	}
	id := made.JSON201.Id
	launched, err := c.LaunchQuizWithResponse(ctx, id, &LaunchQuizParams{}, LaunchQuizJSONRequestBody{Slug: "generated"})
	if err != nil || launched.JSON200 == nil {
		return fmt.Errorf("launch: %v %s", err, launched.Body)
	}
	results, err := c.GetResultsWithResponse(ctx, id)
	if err != nil || results.JSON200 == nil {
		return fmt.Errorf("results: %v %s", err, results.Body)
	}
	came, err := c.ListResponsesWithResponse(ctx, os.Getenv("QUIZ"), &ListResponsesParams{})
	if err != nil || came.JSON200 == nil {
		return fmt.Errorf("responses: %v %s", err, came.Body)
	}
	fmt.Println(id, launched.JSON200.Version, len(results.JSON200.Outcomes), len(came.JSON200.Items))
	return nil
}
