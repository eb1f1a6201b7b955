package client

import (
	"context"
	"net/url"

	"tachyphor/core/document"
	"tachyphor/wire"
)

// WriteScenario makes edits in a text of a scenario and returns what it comes to; an empty text stands for what is
// stored. Nothing is stored. Faults are part of the answer.
func (c *Client) WriteScenario(ctx context.Context, name, text string, edits []document.Edit) (wire.ScenarioText, error) {
	var out wire.ScenarioText
	_, err := c.call(ctx, request{
		method: "POST", path: "/scenarios/" + url.PathEscape(name) + "/text", contentType: "application/json",
		body: jsonBody(struct {
			Text  string          `json:"text,omitempty"`
			Edits []document.Edit `json:"edits,omitempty"`
		}{text, edits}),
	}, &out)
	return out, err
}

// Glance runs the first repeat of a text of a scenario, beside that of what is stored under the name. Nothing is stored.
func (c *Client) Glance(ctx context.Context, name, text string) (wire.Glance, error) {
	var out wire.Glance
	_, err := c.call(ctx, request{
		method: "POST", path: "/scenarios/" + url.PathEscape(name) + "/glance", contentType: "application/json",
		body: jsonBody(map[string]string{"text": text}),
	}, &out)
	return out, err
}
