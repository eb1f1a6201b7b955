package kube

import (
	"context"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"tachyphor/core/kit"
	"tachyphor/core/units"
	"tachyphor/wire"

	authenticationv1 "k8s.io/api/authentication/v1"
	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/tools/clientcmd"
	clientcmdapi "k8s.io/client-go/tools/clientcmd/api"
)

// A controller outside the cluster needs three things: the API server's address, the certificate by which it
// knows it, and a token by which it is known, that of the kit's account and no other.

// A Key is what a controller outside the cluster needs.
type Key struct {
	Namespace   string
	Address     string    // of the API server
	Certificate []byte    // PEM, of who signs the server's
	Token       string    // of the account
	Until       time.Time // when the token ends; zero: it lasts until it is taken away
}

// Secrets that keys hang on: with them they end.
const (
	ShortSecret   = kit.Account + "-outside"         // tokens for a while are bound to it
	LastingSecret = kit.Account + "-outside-lasting" // it holds the one that lasts
)

// Bounds of how long a token may be asked for. The server may say less.
const (
	LeastKey = 10 * time.Minute
	MostKey  = 31 * 24 * time.Hour
)

// lastingWithin is how long the cluster may take to write a token that lasts.
const lastingWithin = 20 * time.Second

// MakeKey makes a key for who makes agents in a namespace. lasts is how long its token is good; 0: until it is
// taken away. address is that of the API server as the controller reaches it; empty: as this connection does.
func (c *Cluster) MakeKey(ctx context.Context, namespace, address string, lasts time.Duration) (Key, error) {
	k := Key{Namespace: namespace, Address: address}
	if k.Address == "" {
		k.Address = c.config.Host
	}
	if !strings.HasPrefix(k.Address, "https://") {
		return k, fmt.Errorf("address %s: a token must not go over anything but https", k.Address)
	}
	var err error
	if k.Certificate, err = c.certificate(); err != nil {
		return k, err
	}
	if _, err := c.client.CoreV1().ServiceAccounts(namespace).Get(ctx, kit.Account, metav1.GetOptions{}); err != nil {
		if apierrors.IsNotFound(err) {
			return k, fmt.Errorf("namespace %s has no service account %s: apply the access kit first (tachyphor render --parts kit)", namespace, kit.Account)
		}
		return k, errors.New(words(err))
	}
	if lasts == 0 {
		k.Token, err = c.lastingToken(ctx, namespace)
		return k, err
	}
	if lasts < LeastKey || lasts > MostKey {
		return k, fmt.Errorf("%s: a token is good for %s to %s; one that must last longer is asked for with --lasting", lasts,
			units.Duration(LeastKey).Short(), units.Duration(MostKey).Short())
	}
	k.Token, k.Until, err = c.shortToken(ctx, namespace, lasts)
	return k, err
}

// certificate is that of who signs the server's.
func (c *Cluster) certificate() ([]byte, error) {
	tls := c.config.TLSClientConfig
	switch {
	case tls.Insecure:
		return nil, errors.New("this connection does not look at the server's certificate, so none can be handed on: put it into the kubeconfig (certificate-authority-data)")
	case len(tls.CAData) > 0:
		return tls.CAData, nil
	case tls.CAFile != "":
		return os.ReadFile(tls.CAFile)
	}
	return nil, nil // it is signed by one that every machine knows
}

// secretFor puts a Secret there, or returns the one that is.
func (c *Cluster) secretFor(ctx context.Context, s *corev1.Secret) (*corev1.Secret, error) {
	made, err := c.client.CoreV1().Secrets(s.Namespace).Create(ctx, s, metav1.CreateOptions{FieldManager: "tachyphor"})
	if apierrors.IsAlreadyExists(err) {
		made, err = c.client.CoreV1().Secrets(s.Namespace).Get(ctx, s.Name, metav1.GetOptions{})
	}
	if err != nil {
		return nil, errors.New(words(err))
	}
	return made, nil
}

// shortToken asks for a token that is bound to a Secret, with which it ends before its time.
func (c *Cluster) shortToken(ctx context.Context, namespace string, lasts time.Duration) (string, time.Time, error) {
	s, err := c.secretFor(ctx, &corev1.Secret{ObjectMeta: metav1.ObjectMeta{Name: ShortSecret, Namespace: namespace, Annotations: map[string]string{
		"tachyphor/for": "tokens of a controller outside the cluster end when this Secret is deleted",
	}}})
	if err != nil {
		return "", time.Time{}, err
	}
	seconds := int64(lasts / time.Second)
	got, err := c.client.CoreV1().ServiceAccounts(namespace).CreateToken(ctx, kit.Account, &authenticationv1.TokenRequest{
		Spec: authenticationv1.TokenRequestSpec{
			ExpirationSeconds: &seconds,
			BoundObjectRef:    &authenticationv1.BoundObjectReference{APIVersion: "v1", Kind: "Secret", Name: s.Name, UID: s.UID},
		},
	}, metav1.CreateOptions{})
	if err != nil {
		return "", time.Time{}, errors.New(words(err))
	}
	return got.Status.Token, got.Status.ExpirationTimestamp.Time, nil
}

// lastingToken has the cluster write a token into a Secret, which is good for as long as that is there.
func (c *Cluster) lastingToken(ctx context.Context, namespace string) (string, error) {
	_, err := c.secretFor(ctx, &corev1.Secret{
		ObjectMeta: metav1.ObjectMeta{
			Name: LastingSecret, Namespace: namespace,
			Annotations: map[string]string{corev1.ServiceAccountNameKey: kit.Account},
		},
		Type: corev1.SecretTypeServiceAccountToken,
	})
	if err != nil {
		return "", err
	}
	for end := time.Now().Add(lastingWithin); ; {
		s, err := c.client.CoreV1().Secrets(namespace).Get(ctx, LastingSecret, metav1.GetOptions{})
		switch {
		case err != nil:
			return "", errors.New(words(err))
		case s.Type != corev1.SecretTypeServiceAccountToken:
			return "", fmt.Errorf("namespace %s has a Secret %s that is not of this kind; delete it first", namespace, LastingSecret)
		case len(s.Data[corev1.ServiceAccountTokenKey]) > 0:
			return string(s.Data[corev1.ServiceAccountTokenKey]), nil
		case time.Now().After(end):
			return "", fmt.Errorf("the cluster has written no token into Secret %s within %s: its controller for such Secrets may be off", LastingSecret, lastingWithin)
		}
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// EndKeys ends all keys of a namespace at once, and says which there were.
func (c *Cluster) EndKeys(ctx context.Context, namespace string) (ended []string, err error) {
	for _, name := range []string{ShortSecret, LastingSecret} {
		err := c.client.CoreV1().Secrets(namespace).Delete(ctx, name, metav1.DeleteOptions{})
		switch {
		case apierrors.IsNotFound(err):
		case err != nil:
			return ended, errors.New(words(err))
		default:
			ended = append(ended, name)
		}
	}
	return ended, nil
}

// Kubeconfig writes a key as a kubeconfig, with all that a client needs.
func (k Key) Kubeconfig() ([]byte, error) {
	config := clientcmdapi.NewConfig()
	const name = kit.Account
	config.Clusters[name] = &clientcmdapi.Cluster{Server: k.Address, CertificateAuthorityData: k.Certificate}
	config.AuthInfos[name] = &clientcmdapi.AuthInfo{Token: k.Token}
	config.Contexts[name] = &clientcmdapi.Context{Cluster: name, AuthInfo: name, Namespace: k.Namespace}
	config.CurrentContext = name
	return clientcmd.Write(*config)
}

// soonEnding is when a token or a certificate is said to end soon.
const (
	soonToken       = 10 * time.Minute
	soonCertificate = 30 * 24 * time.Hour
)

// wayIn looks at the certificate and the token of a connection from outside.
func (f *flight) wayIn(ctx context.Context) {
	if f.Inside {
		return // they come with the pod, and are renewed for it
	}
	pems, err := f.certificate()
	if err != nil {
		f.add(wire.CheckFailed, "server's certificate", "it is not looked at: whoever answers at that address is believed, and gets the token",
			"Put who signs it into the kubeconfig (certificate-authority-data) and leave insecure-skip-tls-verify out.")
	} else if end, signer := signedUntil(pems); !end.IsZero() {
		says := "signed by " + signer + ", good until " + end.UTC().Format(time.DateOnly)
		if time.Until(end) < soonCertificate {
			f.add(wire.CheckUnclear, "server's certificate", says, "Hand the next one out before that: a controller that knows only this one is cut off then.")
		} else {
			f.add(wire.CheckPassed, "server's certificate", says, "")
		}
	}
	me, err := f.client.AuthenticationV1().SelfSubjectReviews().Create(ctx, &authenticationv1.SelfSubjectReview{}, metav1.CreateOptions{})
	if err != nil || !strings.HasPrefix(me.Status.UserInfo.Username, "system:serviceaccount:") {
		return // someone's own connection
	}
	name := "token of " + strings.TrimPrefix(me.Status.UserInfo.Username, "system:serviceaccount:")
	if me.Status.UserInfo.Username != f.account() {
		f.add(wire.CheckFailed, name, "it is not that of "+kit.Account+", who makes agents in "+f.namespace, "Make a key for it: tachyphor outside "+f.namespace)
		return
	}
	switch until, known := Ends(f.config.BearerToken); {
	case !known:
		f.add(wire.CheckUnclear, name, "when it ends cannot be read from it", "")
	case until.IsZero():
		f.add(wire.CheckUnclear, name, "it never ends by itself: whoever has read it once has these rights until it is taken away",
			"Where the controller can renew its token, give it one for a while: tachyphor outside "+f.namespace+
				". To end this one: tachyphor outside "+f.namespace+" --end")
	case time.Until(until) < soonToken:
		f.add(wire.CheckUnclear, name, "it ends at "+until.UTC().Format("15:04:05 UTC"), "Renew it: tachyphor outside "+f.namespace)
	default:
		f.add(wire.CheckPassed, name, "good until "+until.UTC().Format("2006-01-02 15:04 UTC"), "")
	}
}

// signedUntil is when the first of some certificates ends, and whose it is.
func signedUntil(pems []byte) (first time.Time, signer string) {
	for block, rest := pem.Decode(pems); block != nil; block, rest = pem.Decode(rest) {
		c, err := x509.ParseCertificate(block.Bytes)
		if err == nil && (first.IsZero() || c.NotAfter.Before(first)) {
			first, signer = c.NotAfter, c.Subject.CommonName
		}
	}
	return first, signer
}

// Ends reads from a token when it ends, without looking at who signed it; zero: never. known is false for what is
// no such token.
func Ends(token string) (at time.Time, known bool) {
	parts := strings.Split(token, ".")
	if len(parts) != 3 {
		return at, false
	}
	raw, err := base64.RawURLEncoding.DecodeString(parts[1])
	var claims struct {
		Exp *int64 `json:"exp"`
		Sub string `json:"sub"`
	}
	if err != nil || json.Unmarshal(raw, &claims) != nil || claims.Sub == "" {
		return at, false
	}
	if claims.Exp == nil {
		return at, true
	}
	return time.Unix(*claims.Exp, 0), true
}
