package soak

import (
	"io"
	"net"
	"sync"
	"testing"
)

// A wire between clients and the service, that can be cut.
type cable struct {
	to       string
	listener net.Listener

	mu   sync.Mutex
	open map[net.Conn]bool
	dead bool
}

// lay lays a cable to an address.
func lay(t testing.TB, to string) *cable {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	x := &cable{to: to, listener: l, open: map[net.Conn]bool{}}
	go x.serve()
	t.Cleanup(func() {
		_ = l.Close()
		x.cut(true)
	})
	return x
}

func (x *cable) address() string { return "http://" + x.listener.Addr().String() }

func (x *cable) serve() {
	for {
		a, err := x.listener.Accept()
		if err != nil {
			return
		}
		b, err := net.Dial("tcp", x.to)
		x.mu.Lock()
		if err != nil || x.dead {
			_ = a.Close()
			if err == nil {
				_ = b.Close()
			}
			x.mu.Unlock()
			continue
		}
		x.open[a], x.open[b] = true, true
		x.mu.Unlock()
		for _, way := range [][2]net.Conn{{a, b}, {b, a}} {
			go func() {
				_, _ = io.Copy(way[0], way[1])
				x.mu.Lock()
				defer x.mu.Unlock()
				for _, c := range way {
					_ = c.Close()
					delete(x.open, c)
				}
			}()
		}
	}
}

// cut ends all connections in the middle of what they carry; dead: and lets no new ones through.
func (x *cable) cut(dead bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.dead = dead
	for c := range x.open {
		if t, ok := c.(*net.TCPConn); ok {
			_ = t.SetLinger(0) // reset, as when a machine goes
		}
		_ = c.Close()
	}
}
