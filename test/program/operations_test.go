package program

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// An operation is one of those that the service describes.
type operation struct {
	id           string
	role         wire.Role
	method, path string
	open         bool   // for those without a key too
	takes        string // media type of its body, where it has one
	parameters   []parameter
}

type parameter struct {
	Name, In string
	Schema   struct {
		Type string
		Enum []string
	}
}

// operations are all that the service says it has.
func operations(t *testing.T, c *client.Client) []operation {
	t.Helper()
	_, body := (exchange{"GET", "/api/v1/openapi.json", "", nil}).do(t, c)
	var described struct {
		Paths map[string]map[string]struct {
			OperationID string
			Role        wire.Role `json:"x-role"`
			Security    []map[string][]string
			Parameters  []parameter
			RequestBody struct{ Content map[string]any }
		}
	}
	if err := json.Unmarshal([]byte(body), &described); err != nil {
		t.Fatal(err)
	}
	var out []operation
	for path, methods := range described.Paths {
		for method, x := range methods {
			o := operation{id: x.OperationID, role: x.Role, method: strings.ToUpper(method), path: path, parameters: x.Parameters}
			for _, s := range x.Security {
				o.open = o.open || len(s) == 0
			}
			for kind := range x.RequestBody.Content {
				o.takes = kind
			}
			out = append(out, o)
		}
	}
	slices.SortFunc(out, func(a, b operation) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	if len(out) < 45 {
		t.Fatalf("only %d operations are described", len(out))
	}
	return out
}

// at is the operation's address with values for its parameters.
func (o operation) at(value func(parameter) string) string {
	path, query := o.path, url.Values{}
	for _, p := range o.parameters {
		switch p.In {
		case "path":
			path = strings.ReplaceAll(path, "{"+p.Name+"}", url.PathEscape(value(p)))
		case "query":
			if v := value(p); v != "" {
				query.Set(p.Name, v)
			}
		}
	}
	return path + "?" + query.Encode()
}

// plainly gives each parameter a value that it takes.
func plainly(p parameter) string {
	switch {
	case len(p.Schema.Enum) > 0:
		return p.Schema.Enum[0]
	case p.Schema.Type == "integer":
		return "77"
	case p.Schema.Type == "number":
		return "1.5"
	case p.Schema.Type == "boolean":
		return "false"
	case p.Name == "kind":
		return "Scenario"
	default:
		return "x"
	}
}

// really gives each parameter a value that the demo has.
func really(p parameter) string {
	switch p.Name {
	case "name", "scenario":
		return "cached-naive"
	case "template", "templates":
		return "compile-wide"
	case "id", "revision":
		return "1"
	case "ids":
		return "1,1"
	case "share", "sure":
		return "0.9"
	case "halfLife":
		return "48h"
	case "workload", "cluster", "class", "pool", "job", "digest", "cursor":
		return ""
	default:
		return plainly(p)
	}
}

// bodies are none that any operation can take as they are.
var bodies = []string{
	"", "{", "null", "[]", "0", `""`, `{"scenario": {}}`, `{"template": [1], "changes": "x", "answers": null}`, "\x00\xff\xfe", "a: &a [*a]\n",
	"a,b\n\"", "PAR1\x00\x00\x00\x00PAR1", strings.Repeat("[", 20_000), strings.Repeat("a: {b: ", 5_000),
	`{"repeats": 1e999, "seed": -1, "id": 18446744073709551616}`,
	"apiVersion: tachyphor/v1\nkind: Nothing\n", "apiVersion: v1\nkind: Pod\nmetadata: {name: \"../..\"}\n",
	`[{"op": "replace", "path": "/spec", "value": null}]`,
}

// odd values for parameters.
var odd = []string{
	"", "-1", "0", "1e9", "99999999999999999999", "NaN", "'; DROP TABLE documents; --", "../../etc", "%00", "\x00",
	"\u202e", strings.Repeat("x", 5_000), "null", "1,2,3", "a=b,c=d", "🌊",
}

// Whatever comes in, each operation answers with a reason, none with a defect, and the
// service goes on.
func TestEveryOperationTakesTheWorst(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	ctx, stop := context.WithTimeout(context.Background(), 10*time.Minute)
	defer stop()
	before, err := c.List(ctx, "")
	if err != nil {
		t.Fatal(err)
	}
	if o, err := c.Simulate(ctx, "cached-naive", wire.Run{}); err != nil || o.ID != 1 {
		t.Fatal(o, err)
	}
	if o, err := c.Watch(ctx, 1, func(wire.WorkBrief) {}); err != nil || o.State != "done" {
		t.Fatal(o, err)
	}
	random := rand.New(rand.NewPCG(11, 7))
	try := func(o operation, address, body string) {
		t.Helper()
		header := map[string]string{}
		if o.takes != "" {
			header["Content-Type"] = o.takes
		}
		r, answer := (exchange{o.method, address, body, header}).do(t, c)
		switch {
		case r.StatusCode >= 500:
			t.Errorf("%s %.200s %.60q: %d %.300s", o.method, address, body, r.StatusCode, answer)
		case r.StatusCode >= 400 && (!strings.Contains(r.Header.Get("Content-Type"), "application/problem+json") || len(answer) < 20):
			t.Errorf("%s %.200s %.60q: %d without a reason: %s %.200s", o.method, address, body, r.StatusCode, r.Header.Get("Content-Type"), answer)
		}
	}
	for _, o := range operations(t, c) {
		if strings.HasPrefix(o.path, "/api/v1/session") {
			continue // ends the key that this test has
		}
		usual := really
		if o.method == "DELETE" {
			usual = plainly // of which there is nothing
		}
		if o.takes != "" {
			for _, b := range bodies {
				try(o, o.at(usual), b)
			}
		}
		for range 9 {
			try(o, o.at(func(p parameter) string {
				if random.IntN(3) > 0 {
					return usual(p)
				}
				return odd[random.IntN(len(odd))]
			}), bodies[random.IntN(len(bodies))])
		}
	}
	if r, body := (exchange{"GET", "/readyz", "", nil}).do(t, c); r.StatusCode != 200 {
		t.Errorf("not ready any more: %d %s", r.StatusCode, body)
	}
	after, err := c.List(ctx, "")
	if err != nil || fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("what was stored has changed: %v", err)
	}
}
