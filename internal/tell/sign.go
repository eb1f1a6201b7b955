package tell

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// keyID is what receivers know the key by.
const keyID = "tachyphor"

// covered are the parts of a request that its signature covers, in order.
var covered = []string{"@method", "@target-uri", "content-type", "content-digest"}

// sign signs a request and its body as RFC 9421 has it, by HMAC with SHA-256, with the body's digest
// by RFC 9530: whoever has the key can tell that it is ours, of that moment, and as it was sent.
func sign(req *http.Request, body, key []byte, at time.Time) {
	digest := sha256.Sum256(body)
	req.Header.Set("Content-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(digest[:])+":")
	params, mac := signature(req, covered, key, keyID, at)
	req.Header.Set("Signature-Input", "tachyphor="+params)
	req.Header.Set("Signature", "tachyphor=:"+base64.StdEncoding.EncodeToString(mac)+":")
}

// signature is that of some parts of a request (RFC 9421, 2.5 and 3.3.3), with its parameters.
func signature(req *http.Request, parts []string, key []byte, id string, at time.Time) (params string, mac []byte) {
	var base, list strings.Builder
	for i, name := range parts {
		value := req.Header.Get(name)
		switch name {
		case "@method":
			value = req.Method
		case "@target-uri":
			value = req.URL.String()
		case "@authority":
			value = strings.ToLower(req.URL.Host)
		}
		fmt.Fprintf(&base, "%q: %s\n", name, strings.TrimSpace(value))
		if i > 0 {
			list.WriteByte(' ')
		}
		list.WriteString(strconv.Quote(name))
	}
	params = fmt.Sprintf("(%s);created=%d;keyid=%q", list.String(), at.Unix(), id)
	fmt.Fprintf(&base, "%q: %s", "@signature-params", params)
	h := hmac.New(sha256.New, key)
	h.Write([]byte(base.String()))
	return params, h.Sum(nil)
}
