package service

import (
	"crypto/tls"
	"encoding/pem"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// lookEvery is how often it is seen whether the files of a certificate changed.
const lookEvery = 5 * time.Second

// A certificate is read from files, and again when they change.
type certificate struct {
	cert, key string // files
	log       *slog.Logger
	now       func() time.Time
	changed   func(leaf string) // hears of a new one, as PEM

	mu     sync.Mutex
	at     time.Time // of the last look
	stamps [2]stamp
	has    *tls.Certificate
}

// A stamp tells whether a file changed.
type stamp struct {
	size int64
	at   time.Time
}

func stampOf(path string) (stamp, error) {
	info, err := os.Stat(path)
	if err != nil {
		return stamp{}, err
	}
	return stamp{info.Size(), info.ModTime()}, nil
}

// read reads the files; they may be in the middle of being changed, so that what does not fit is an error
// and what was there goes on.
func (c *certificate) read() error {
	var stamps [2]stamp
	for i, path := range []string{c.cert, c.key} {
		s, err := stampOf(path)
		if err != nil {
			return fmt.Errorf("--tls-cert and --tls-key: %w", err)
		}
		stamps[i] = s
	}
	if c.has != nil && stamps == c.stamps {
		return nil
	}
	has, err := tls.LoadX509KeyPair(c.cert, c.key)
	if err != nil {
		return fmt.Errorf("--tls-cert and --tls-key: %w", err)
	}
	again := c.has != nil
	c.has, c.stamps = &has, stamps
	if has.Leaf != nil && c.now().After(has.Leaf.NotAfter) {
		c.log.Error("the certificate has expired", "file", c.cert, "at", has.Leaf.NotAfter)
	}
	if again {
		c.log.Info("the certificate was read again", "file", c.cert)
		c.changed(c.leaf())
	}
	return nil
}

// leaf is the certificate itself, as PEM.
func (c *certificate) leaf() string {
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: c.has.Certificate[0]}))
}

// get is the certificate for a connection.
func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if now := c.now(); now.Sub(c.at) >= lookEvery {
		c.at = now
		if err := c.read(); err != nil {
			c.log.Warn("the certificate cannot be read again; the one there was goes on", "error", err)
		}
	}
	return c.has, nil
}
