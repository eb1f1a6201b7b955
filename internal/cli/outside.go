package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/kube"

	"github.com/spf13/cobra"
)

// outsideFlags are the flags of outside.
type outsideFlags struct {
	options kube.Options
	lasts   time.Duration
	lasting bool
	end     bool
	address string
	into    string
}

func (p *program) outsideCommand() *cobra.Command {
	var f outsideFlags
	c := &cobra.Command{
		Use: "outside NAMESPACE|FILE", Short: "Make, renew or end what a controller outside the cluster needs: address, certificate, token",
		Long: `Make the key of a controller that makes agents in a cluster and does not live in it: a kubeconfig
with the API server's address, the certificate by which it is known, and a token of the access kit's
account, which may make agents in that namespace and nothing else. FILE is a template's, whose
namespace is meant. It is done from here, with your own connection, which has to be allowed to.

  --lasts 8h   a token for a while (the server may say less). It is asked for again with the same
               command before it ends, by whoever may; what was read somewhere ends by itself.
  --lasting    a token that never ends by itself, in a Secret, for a controller that cannot renew
               one. Whoever reads it once, in a backup, a log, a page of settings, has those rights
               until it is taken away.
  --end        all of them end: what the API server has let in just now, within some 10 seconds.

Try a key from where the controller runs: tachyphor preflight TEMPLATE --kubeconfig FILE. Whether
agents reach the controller from inside the cluster, a rehearsal tells.`,
		Example: "  tachyphor outside slipway --lasts 8h --into dispatch.yaml\n  tachyphor preflight agents.yaml --kubeconfig dispatch.yaml\n" +
			"  tachyphor outside slipway --end",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case f.end && (f.lasting || f.into != "" || c.Flags().Changed("lasts")):
				return errors.New("--end goes with none of --lasts, --lasting and --into")
			case f.lasting && c.Flags().Changed("lasts"):
				return errors.New("--lasts or --lasting, not both")
			case f.into == "" && !f.end:
				return errors.New("say where the key is written: --into FILE, readable by you alone")
			}
			namespace, err := p.namespaceOf(args[0])
			if err != nil {
				return err
			}
			conn, err := kube.Connect(f.options)
			if err != nil {
				return no(err)
			}
			if f.end {
				return p.endKeys(c.Context(), conn, namespace)
			}
			return p.makeKey(c.Context(), conn, namespace, f)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.options.Kubeconfig, "kubeconfig", "", "your own kubeconfig; default: KUBECONFIG or the usual one")
	fl.StringVar(&f.options.Context, "context", "", "context of the kubeconfig; default: the current one")
	fl.DurationVar(&f.lasts, "lasts", 8*time.Hour, "how long the token is good, 10m to 744h")
	fl.BoolVar(&f.lasting, "lasting", false, "a token that never ends by itself")
	fl.BoolVar(&f.end, "end", false, "end all keys of the namespace, within some 10 seconds")
	fl.StringVar(&f.address, "address", "", "API server as the controller reaches it, as in https://10.40.0.1:6443; default: as you do")
	fl.StringVar(&f.into, "into", "", "file for the kubeconfig; one that is there is replaced")
	return c
}

// namespaceOf is a namespace by name, or that of the templates of a file.
func (p *program) namespaceOf(arg string) (string, error) {
	if !isFile(arg) {
		return arg, nil
	}
	b, err := p.read(arg)
	if err != nil {
		return "", err
	}
	docs, faults := document.Parse(arg, b)
	if len(faults) > 0 {
		return "", faults
	}
	namespace := ""
	for _, d := range docs {
		t, ok := d.Value.(*document.PodTemplate)
		switch {
		case !ok || t.Namespace == namespace:
		case namespace != "":
			return "", no(fmt.Errorf("%s: templates of namespaces %s and %s; name the one that is meant", arg, namespace, t.Namespace))
		default:
			namespace = t.Namespace
		}
	}
	if namespace == "" {
		return "", no(fmt.Errorf("%s: no template with a namespace", arg))
	}
	return namespace, nil
}

func (p *program) makeKey(ctx context.Context, conn *kube.Cluster, namespace string, f outsideFlags) error {
	if f.lasting {
		f.lasts = 0
	}
	key, err := conn.MakeKey(ctx, namespace, f.address, f.lasts)
	if err != nil {
		return no(err)
	}
	text, err := key.Kubeconfig()
	if err != nil {
		return err
	}
	err = whole(f.into, func(w io.Writer) error { _, err := w.Write(text); return err }) // its owner alone can read it
	if err != nil {
		return no(fmt.Errorf("%s: %w", f.into, unwrapped(err)))
	}
	until := "good until it is taken away"
	renew := ""
	if !key.Until.IsZero() {
		until = "good until " + key.Until.Local().Format("2006-01-02 15:04")
		renew = fmt.Sprintf("Renew it before that with the same command; %s before is soon enough.", units.Duration(time.Until(key.Until)/4).Short())
	}
	fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("%s: the key of who makes agents in %s, at %s, %s. Only you can read the file.", f.into, namespace, key.Address, until)))
	if renew != "" {
		fmt.Fprintln(p.out, p.wrap(renew))
	} else {
		fmt.Fprintln(p.out, p.warn(p.wrap("! Whoever reads it once has those rights until it is taken away. Where the controller can renew its token, "+
			"give it one for a while: --lasts.")))
	}
	fmt.Fprintln(p.out, p.faint(p.wrap("Next, from where the controller runs: `tachyphor preflight TEMPLATE --kubeconfig "+f.into+
		"`. To end it: `tachyphor outside "+namespace+" --end`.")))
	return nil
}

func (p *program) endKeys(ctx context.Context, conn *kube.Cluster, namespace string) error {
	ended, err := conn.EndKeys(ctx, namespace)
	if err != nil {
		return no(err)
	}
	if len(ended) == 0 {
		fmt.Fprintln(p.out, "There is no key of a controller outside the cluster in "+namespace+".")
		return nil
	}
	for _, name := range ended {
		what := "Tokens for a while"
		if name == kube.LastingSecret {
			what = "The token that lasts"
		}
		fmt.Fprintf(p.out, "%s ended: Secret %s is gone. What was just let in is so for some 10 seconds more.\n", what, name)
	}
	return nil
}
