package cluster

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	authenticationv1 "k8s.io/api/authentication/v1"
	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// Tokens of service accounts say whose they are, until when and on what Secret they hang, as a cluster's do, and
// are sealed with the stand-in's own secret.

type claims struct {
	Sub    string `json:"sub"`
	Exp    *int64 `json:"exp,omitempty"`
	Secret string `json:"secret,omitempty"` // namespace/name of the Secret with which it ends
	UID    string `json:"uid,omitempty"`    // of that Secret; empty: whichever has the name
}

func (c *Cluster) seal(x claims) string {
	head := base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"HS256"}`))
	b, _ := json.Marshal(x)
	text := head + "." + base64.RawURLEncoding.EncodeToString(b)
	return text + "." + c.sign(text)
}

func (c *Cluster) sign(text string) string {
	m := hmac.New(sha256.New, []byte(c.token))
	m.Write([]byte(text))
	return base64.RawURLEncoding.EncodeToString(m.Sum(nil))
}

// accountOf is whose token it is, if it is good.
func (c *Cluster) accountOf(token string) (string, bool) {
	parts := strings.Split(token, ".")
	if len(parts) != 3 || !hmac.Equal([]byte(parts[2]), []byte(c.sign(parts[0]+"."+parts[1]))) {
		return "", false
	}
	raw, err := base64.RawURLEncoding.DecodeString(parts[1])
	var x claims
	if err != nil || json.Unmarshal(raw, &x) != nil || x.Exp != nil && time.Now().Unix() >= *x.Exp {
		return "", false
	}
	if x.Secret != "" {
		o, ok := c.objects.get(secrets, x.Secret)
		if !ok || x.UID != "" && text(o, "metadata", "uid") != x.UID {
			return "", false
		}
	}
	return x.Sub, true
}

// giveToken answers a TokenRequest.
func (c *Cluster) giveToken(w http.ResponseWriter, q *http.Request, k call) error {
	if _, ok := c.objects.get(k.res, k.namespace+"/"+k.name); !ok {
		return notFound(k.res, k.name)
	}
	var r authenticationv1.TokenRequest
	if err := json.NewDecoder(q.Body).Decode(&r); err != nil {
		return err
	}
	seconds := int64(3600)
	if r.Spec.ExpirationSeconds != nil {
		seconds = *r.Spec.ExpirationSeconds
	}
	if seconds < 600 {
		return failure{http.StatusUnprocessableEntity, "Invalid", fmt.Sprintf("spec.expirationSeconds: Invalid value: %d: may not specify a duration less than 10 minutes", seconds), nil}
	}
	end := time.Now().Add(time.Duration(seconds) * time.Second)
	exp := end.Unix()
	x := claims{Sub: "system:serviceaccount:" + k.namespace + ":" + k.name, Exp: &exp}
	if b := r.Spec.BoundObjectRef; b != nil && b.Kind == "Secret" {
		x.Secret, x.UID = k.namespace+"/"+b.Name, string(b.UID)
	}
	r.Status = authenticationv1.TokenRequestStatus{Token: c.seal(x), ExpirationTimestamp: metav1.NewTime(end)}
	answer(w, http.StatusCreated, r)
	return nil
}

// writeToken puts a token into a Secret that asks for one.
func (c *Cluster) writeToken(namespace string, o object) {
	notes, _ := meta(o)["annotations"].(object)
	account, _ := notes[corev1.ServiceAccountNameKey].(string)
	if text(o, "type") != string(corev1.SecretTypeServiceAccountToken) || account == "" {
		return
	}
	token := c.seal(claims{Sub: "system:serviceaccount:" + namespace + ":" + account, Secret: namespace + "/" + text(o, "metadata", "name")})
	o["data"] = object{corev1.ServiceAccountTokenKey: base64.StdEncoding.EncodeToString([]byte(token))}
}
