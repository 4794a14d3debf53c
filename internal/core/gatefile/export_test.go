package gatefile

// Cases are the gate files of this package's tests, for tests from outside.
func Cases() (texts []string) {
	for _, c := range problemCases {
		texts = append(texts, c.text)
	}
	for _, text := range moreMistakes {
		texts = append(texts, head+text)
	}
	return texts
}
