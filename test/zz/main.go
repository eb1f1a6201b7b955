package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"tachyphor/client"
	"tachyphor/test/browser"
	"tachyphor/wire"
)

func must(err error) {
	if err != nil {
		panic(err)
	}
}

func main() {
	a, err := wire.ReadAccess("/tmp/sL")
	must(err)
	c := &client.Client{Address: a.Address, Token: a.Token}
	l, _, err := c.NewLink(context.Background(), wire.NewLink{})
	must(err)
	p, err := browser.Open(1280, 1500, false)
	must(err)
	defer p.Close()
	must(p.Go(l))
	must(p.See("main"))
	must(p.Go(a.Address + os.Args[1]))
	time.Sleep(3 * time.Second)
	t, _ := p.Text("main")
	fmt.Printf("%.600s\n", t)
	fmt.Println(p.Messages())
	png, err := p.Picture()
	must(err)
	os.WriteFile("/tmp/look/b/zz.png", png, 0o600)
}
