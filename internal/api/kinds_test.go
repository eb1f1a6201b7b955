package api

import (
	"reflect"
	"strings"
	"testing"

	"tachyphor/core/document"
)

// Every kind of document has an address.
func TestEveryKindHasAnAddress(t *testing.T) {
	f, ok := reflect.TypeFor[DocumentPath]().FieldByName("Kind")
	if !ok || f.Tag.Get("enum") != strings.Join(document.Kinds(), ",") {
		t.Errorf("addresses are of %s; there are %v", f.Tag.Get("enum"), document.Kinds())
	}
}
