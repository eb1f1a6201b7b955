package client

import (
	"bytes"
	"crypto/tls"
	"encoding/pem"
	"errors"
	"net/http"
)

// ErrOtherCertificate says that whoever answers is not the service that left its certificate.
var ErrOtherCertificate = errors.New("who answers there has another certificate than the service that wrote the state folder")

// Pinned is an HTTP client for a service of which the certificate is known, PEM: it speaks to who has that, by
// whatever name.
func Pinned(certificate string) *http.Client {
	t := http.DefaultTransport.(*http.Transport).Clone()
	block, _ := pem.Decode([]byte(certificate))
	t.TLSClientConfig = &tls.Config{
		MinVersion: tls.VersionTLS12, InsecureSkipVerify: true, // in place of the name, the certificate itself is held against the one known
		VerifyConnection: func(s tls.ConnectionState) error {
			if block == nil || len(s.PeerCertificates) == 0 || !bytes.Equal(s.PeerCertificates[0].Raw, block.Bytes) {
				return ErrOtherCertificate
			}
			return nil
		},
	}
	return &http.Client{Transport: t}
}
