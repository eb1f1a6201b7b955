package sim

func init() { checked = true }
