package client_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

// A refusal is a *client.Error, which says what went wrong and what to try.
func ExampleClient_HandIn() {
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusForbidden)
		_ = json.NewEncoder(w).Encode(wire.Problem{Title: "The exercise is closed", Status: http.StatusForbidden,
			Detail: "It closed at noon.", Hint: "ask the instructor"})
	}))
	defer service.Close()
	c := client.New(service.URL, "a token from SignIn")
	_, err := c.HandIn(context.Background(), "kelp-cooperative", "rope-means", "per_rope = 1", "", 20)
	var problem *client.Error
	if errors.As(err, &problem) {
		fmt.Println(problem.Status, problem.Detail, "Try:", problem.Hint)
	}
	// Output:
	// 403 It closed at noon. Try: ask the instructor
}
