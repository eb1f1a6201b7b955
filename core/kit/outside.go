package kit

// outsideObjects tell in steps what a controller needs that does not live in the cluster. Nothing is made: a
// token belongs into no manifest.
func outsideObjects(f *facts) []object {
	if f.Controller == nil || f.Controller.Inside {
		return nil
	}
	ns := f.Namespace
	return []object{{[]string{
		"The controller, " + f.Controller.Address + ", lives outside the cluster. It needs the API server's",
		"address, the certificate of who signs the server's, and a token of " + Account + ", all in one kubeconfig.",
		"",
		"1. For a while, where it can renew its token; what somebody reads ends by itself:",
		"     tachyphor outside " + ns + " --lasts 8h --into key.yaml",
		"   By hand: kubectl -n " + ns + " create token " + Account + " --duration 8h. The server may say less.",
		"2. That lasts, where it cannot. Whoever reads it once, in a backup, a log, a page of settings, may",
		"   make pods here until it is taken away:",
		"     tachyphor outside " + ns + " --lasting --into key.yaml",
		"   By hand: a Secret of type kubernetes.io/service-account-token with the annotation",
		"   kubernetes.io/service-account.name: " + Account + ".",
		"3. Try it from where the controller runs:",
		"     tachyphor preflight " + f.Templates[0] + " --kubeconfig key.yaml",
		"   and from inside, whether agents reach " + f.Controller.Address + ":",
		"     tachyphor rehearse " + f.Templates[0],
		"4. Renew it with the same command as before; end all of them, within some 10 seconds:",
		"     tachyphor outside " + ns + " --end",
	}, nil}}
}
