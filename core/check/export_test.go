package check

// IDs are those of all checks, for the tests outside.
func IDs() (out []string) {
	for _, c := range table {
		out = append(out, c.ID)
	}
	return out
}
