package client

import (
	"context"
	"strconv"

	"tachyphor/wire"
)

func explorationAt(id uint64) string { return "/explorations/" + strconv.FormatUint(id, 10) }

func variantAt(id uint64, variant int) string {
	return explorationAt(id) + "/variants/" + strconv.Itoa(variant)
}

// Explore asks for variants of a scenario.
func (c *Client) Explore(ctx context.Context, ask wire.Explore) (wire.WorkBrief, error) {
	return c.ask(ctx, "/explorations", ask)
}

// Exploration returns an exploration.
func (c *Client) Exploration(ctx context.Context, id uint64) (wire.KeptExploration, error) {
	var w wire.KeptExploration
	_, err := c.call(ctx, request{method: "GET", path: explorationAt(id)}, &w)
	return w, err
}

// Variant returns what makes a variant of its scenario.
func (c *Client) Variant(ctx context.Context, id uint64, variant int) (wire.VariantChanges, error) {
	var v wire.VariantChanges
	_, err := c.call(ctx, request{method: "GET", path: variantAt(id, variant)}, &v)
	return v, err
}

// SimulateVariant asks for the simulation of a variant, of the revisions that were explored.
func (c *Client) SimulateVariant(ctx context.Context, id uint64, variant int) (wire.WorkBrief, error) {
	return c.ask(ctx, variantAt(id, variant)+"/outcome", struct{}{})
}

// MakeScenario stores a variant as a scenario of its own; what else it changes is stored under
// names of its own too.
func (c *Client) MakeScenario(ctx context.Context, id uint64, variant int, name string) ([]wire.Stored, error) {
	var list wire.StoredList
	_, err := c.call(ctx, request{
		method: "POST", path: variantAt(id, variant) + "/scenario", contentType: "application/json",
		body: jsonBody(wire.VariantOfItsOwn{Name: name}),
	}, &list)
	return list.Items, err
}
