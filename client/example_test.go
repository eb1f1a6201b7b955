package client_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"

	"tachyphor/client"
	"tachyphor/wire"
)

// A program of one's own asks a service to simulate a scenario with another ceiling, waits
// for the end, and names everything that it is given.
func Example() {
	service := httptest.NewServer(http.HandlerFunc(answer))
	defer service.Close()
	c := &client.Client{Address: service.URL, Token: "tph_of-the-service"}
	ctx := context.Background()

	repeats := 4
	asked, err := c.Simulate(ctx, "lean", wire.Run{Repeats: &repeats})
	if err != nil {
		fmt.Println(err)
		return
	}
	var shown []wire.State
	end, err := c.Watch(ctx, asked.ID, func(w wire.WorkBrief) { shown = append(shown, w.State) })
	if err != nil {
		fmt.Println(err)
		return
	}
	gist := *end.Simulation.Summary
	fmt.Printf("outcome %d: %v, %s\n", end.ID, shown, gist.Headline)

	_, err = c.Scenario(ctx, "leaner")
	var problem *wire.Problem
	if errors.As(err, &problem) {
		fmt.Println(problem.Status, problem.Detail)
	}
	// Output:
	// outcome 7: [running done], 95 % of jobs start within 40 s
	// 404 there is no scenario leaner
}

// answer answers as a service does.
func answer(w http.ResponseWriter, r *http.Request) {
	switch r.Method + " " + r.URL.Path {
	case "POST /api/v1/outcomes":
		w.WriteHeader(http.StatusAccepted)
		fmt.Fprint(w, `{"id": 7, "kind": "simulation", "about": "lean", "state": "queued"}`)
	case "GET /api/v1/work/7/progress":
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprint(w, "event: progress\ndata: {\"id\": 7, \"state\": \"running\", \"progress\": 0.5}\n\n")
		fmt.Fprint(w, "event: progress\ndata: {\"id\": 7, \"state\": \"done\", \"simulation\": {\"summary\": {\"headline\": "+
			"\"95 % of jobs start within 40 s\"}}}\n\n")
	default:
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, `{"title": "Not Found", "status": 404, "detail": "there is no scenario leaner"}`)
	}
}
