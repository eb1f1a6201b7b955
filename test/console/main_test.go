package console

import (
	"os"
	"testing"

	"tachyphor/test/running"
)

func TestMain(m *testing.M) {
	status := m.Run()
	running.Clean()
	os.Exit(status)
}
