package live

import (
	"context"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"sigs.k8s.io/yaml"
)

// levels are those of the Pod Security Standards, the strictest first.
var levels = []string{"restricted", "baseline", "privileged"}

// The three ways of building images in an agent need what docs/image-builds.md says of them: the strictest
// level at which the API server lets their pods in, and why not at those that are stricter.
func TestImageBuildsAreLetIn(t *testing.T) {
	page, err := os.ReadFile("../../docs/image-builds.md")
	if err != nil {
		t.Fatal(err)
	}
	everywhere(t, func(t *testing.T, p *place) {
		if !p.real {
			t.Skip("the stand-in does not know the Pod Security Standards")
		}
		ctx := context.Background()
		for _, level := range levels {
			space := &corev1.Namespace{ObjectMeta: metav1.ObjectMeta{Name: "level-" + level, Labels: map[string]string{"pod-security.kubernetes.io/enforce": level}}}
			if _, err := p.client.CoreV1().Namespaces().Create(ctx, space, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
			eventually(t, "the default service account", func() bool {
				_, err := p.client.CoreV1().ServiceAccounts(space.Name).Get(ctx, "default", metav1.GetOptions{})
				return err == nil
			})
		}
		for way, want := range map[string]struct {
			level string
			why   []string // for which stricter ones refuse it
		}{
			"privileged": {"privileged", []string{"must not set securityContext.privileged=true"}},
			"socket":     {"privileged", []string{"hostPath volumes"}},
			"rootless":   {"baseline", []string{"allowPrivilegeEscalation != false", "unrestricted capabilities"}},
		} {
			i := slices.IndexFunc(need(t, "builds-"+way), func(d *document.Document) bool { return d.Kind == document.KindPodTemplate })
			d := need(t, "builds-"+way)[i]
			got, refused := "", map[string]string{}
			for _, level := range levels {
				var pod corev1.Pod
				if err := yaml.UnmarshalStrict([]byte(d.Pod()), &pod); err != nil {
					t.Fatal(err)
				}
				pod.Namespace = "level-" + level
				_, err := p.client.CoreV1().Pods(pod.Namespace).Create(ctx, &pod, metav1.CreateOptions{
					DryRun: []string{metav1.DryRunAll}, FieldValidation: metav1.FieldValidationStrict,
				})
				switch {
				case err == nil && got == "":
					got = level
				case err == nil:
				case !apierrors.IsForbidden(err) || got != "":
					t.Fatalf("%s at %s: %v", way, level, err)
				default:
					refused[level] = err.Error()
				}
			}
			if got != want.level {
				t.Errorf("%s is let in at %q, want %s: %v", way, got, want.level, refused)
			}
			for _, why := range want.why {
				if !strings.Contains(strings.Join(slices.Collect(maps.Values(refused)), " "), why) {
					t.Errorf("%s: nothing says %q: %v", way, why, refused)
				}
			}
			if !strings.Contains(string(page), "| "+way+" | `"+got+"` |") {
				t.Errorf("docs/image-builds.md does not say that %s needs %s", way, got)
			}
		}
	})
}
