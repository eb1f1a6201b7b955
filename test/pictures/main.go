// Command pictures takes pictures of a running console:
//
//	go run ./test/pictures -dir docs/screenshots
//
// It signs in with a link of its own. With -page only that page is taken, as
// whole as it is long with -whole.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"tachyphor/client"
	"tachyphor/test/browser"
	"tachyphor/wire"
)

// pages are the pictures of the documentation.
var pages = []page{
	{name: "desk", path: "/", see: "table"},
	{name: "scenario", path: "/scenarios/weekday-lean", see: "#simulate"},
	{name: "outcome", path: "/outcomes/5", see: "#headline"},
	{name: "compare", path: "/compare?ids=3,4,5,6", see: "#headline"},
	{name: "caching", path: "/caching/cached-naive", see: "#glance"},
	{name: "templates", path: "/templates", see: "table"},
	{name: "template", path: "/templates/compile-wide-draft", see: ".cm-content"},
	{name: "template-sizing", path: "/templates/compile-wide?view=sizing", see: "canvas"},
	{name: "workload", path: "/workloads/week-38", see: "table"},
	{name: "cluster", path: "/clusters/brinewell-north", see: "table"},
	{name: "learn", path: "/learn", see: "#jobs", scroll: 620, upload: "demo/week-38.csv"},
	{name: "backtest", path: "/backtest/weekday-lean", see: "canvas"},
	{name: "ahead", path: "/ahead/weekday-lean", see: "canvas"},
	{name: "service", path: "/service", see: "#audit table"},
	{name: "frontier", path: "/frontier/weekday-lean", see: "#sentence", scroll: 330},
}

type page struct {
	name, path, see string
	scroll          int    // pixels from the top
	upload          string // file that is chosen first
}

func main() {
	state := flag.String("state", os.Getenv("TACHYPHOR_STATE"), "state folder of the service")
	dir := flag.String("dir", "docs/screenshots", "folder for the pictures")
	page := flag.String("page", "", "take this address only")
	scroll := flag.Int("scroll", 0, "pixels to scroll down first")
	width := flag.Int64("width", 1280, "width of the window")
	height := flag.Int64("height", 800, "height of the window")
	dark := flag.Bool("dark", false, "dark colours")
	whole := flag.Bool("whole", false, "the whole page, not the window")
	flag.Parse()
	if err := run(*state, *dir, *page, *scroll, *width, *height, *dark, *whole); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(state, dir, only string, scroll int, width, height int64, dark, whole bool) error {
	access, err := wire.ReadAccess(state)
	if err != nil {
		return err
	}
	c := &client.Client{Address: access.Address, Token: access.Token}
	link, _, err := c.NewLink(context.Background(), wire.NewLink{})
	if err != nil {
		return err
	}
	if only == "" { // what the frontier is of; where it was asked before it is there at once
		asked, err := c.Explore(context.Background(), wire.Explore{Sweep: "lean-or-leaner"})
		if err != nil {
			return err
		}
		if _, err := c.Watch(context.Background(), asked.ID, func(wire.WorkBrief) {}); err != nil {
			return err
		}
	}
	p, err := browser.Open(width, height, dark)
	if err != nil {
		return err
	}
	defer p.Close()
	if err := p.Go(link); err != nil {
		return err
	}
	if err := p.See("main"); err != nil { // the sign-in page goes on by itself
		return err
	}
	list := pages
	if only != "" {
		list = []page{{name: "page", path: only, see: ".page h1, .page h2", scroll: scroll}}
	}
	for _, x := range list {
		if err := p.Go(access.Address + x.path); err != nil {
			return err
		}
		if x.upload != "" {
			if err := p.See("input[type=file]"); err != nil {
				return err
			}
			file, err := filepath.Abs(x.upload)
			if err != nil {
				return err
			}
			if err := p.Upload("input[type=file]", file); err != nil {
				return err
			}
		}
		if err := p.See(x.see); err != nil {
			return err
		}
		time.Sleep(700 * time.Millisecond) // charts draw after the page is there
		if _, err := p.Number(fmt.Sprintf("(window.scrollTo(0, %d), 1)", x.scroll)); err != nil {
			return err
		}
		time.Sleep(100 * time.Millisecond)
		take := p.Picture
		if whole {
			take = p.Whole
		}
		png, err := take()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, x.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	for _, m := range p.Messages() {
		fmt.Fprintln(os.Stderr, "console:", m)
	}
	return nil
}
