package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"tachyphor/client"
	"tachyphor/wire"
)

// numbered is work that is known by its number: outcomes and their like.
type numbered struct {
	name  string   // of one
	one   string   // with its article
	kinds []string // as the service knows them
	list  func([]wire.WorkBrief) listing
	print func(ctx context.Context, c *client.Client, id uint64) error
}

// works are all that get and drop know by number.
func (p *program) works() []numbered {
	return []numbered{
		{"outcome", "an outcome", client.Simulations, outcomesListing, p.printOutcome},
		{"weighing", "a weighing", client.Weighings, weighingsListing, p.printWeighing},
		{"exploration", "an exploration", client.Explorations, explorationsListing, p.printExploration},
		{"margin", "a margin", client.Margins, marginsListing, p.printMargin},
		{"backtest", "a backtest", client.Backtests, backtestsListing, p.printBacktest},
		{"forecast", "a forecast", client.Forecasts, forecastsListing, p.printForecast},
	}
}

// numberedOf finds work by the word for one of it or many; nil: the word means something else.
func (p *program) numberedOf(word string) *numbered {
	for _, n := range p.works() {
		if strings.EqualFold(word, n.name) || strings.EqualFold(word, n.name+"s") {
			return &n
		}
	}
	return nil
}

// number reads the number of one.
func (n *numbered) number(word string) (uint64, error) {
	id, err := strconv.ParseUint(word, 10, 64)
	if err != nil || id == 0 {
		return 0, fmt.Errorf("%q is not the number of %s; `tachyphor get %ss` lists them", word, n.one, n.name)
	}
	return id, nil
}

// get lists work of its kind, or prints one.
func (n *numbered) get(ctx context.Context, p *program, c *client.Client, args []string) error {
	if len(args) == 1 {
		id, err := n.number(args[0])
		if err != nil {
			return err
		}
		return n.print(ctx, c, id)
	}
	list, err := c.NewestWork(ctx, client.Which{Kinds: n.kinds})
	if err != nil {
		return err
	}
	if len(list) == client.Newest {
		fmt.Fprintf(p.err, "The newest %d; name an older one by its number.\n", client.Newest)
	}
	return p.show(n.list(list))
}

// drop takes one away.
func (n *numbered) drop(ctx context.Context, p *program, word string) error {
	id, err := n.number(word)
	if err != nil {
		return err
	}
	if err := p.client().DropWork(ctx, n.kinds, id); err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s %d dropped.\n", n.name, id)
	return nil
}

// notDone says that work has nothing to be printed.
func notDone(name string, w wire.WorkBrief) error {
	return no(fmt.Errorf("%s %d is %s %s", name, w.ID, w.State, w.Error))
}
