package publish

// Shortened has published books shortened that more publications made than most; kept of them are kept as they are.
func Shortened(most, kept int) (back func()) {
	m, k := mostBrought, keptBrought
	mostBrought, keptBrought = most, kept
	return func() { mostBrought, keptBrought = m, k }
}
