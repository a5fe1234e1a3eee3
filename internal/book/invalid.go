package book

// InvalidError says that a value of what was asked for is not usable. Path names the value.
type InvalidError struct{ Path, Problem string }

func (e *InvalidError) Error() string { return e.Path + ": " + e.Problem }

// Invalid makes one.
func Invalid(path, problem string) error { return &InvalidError{path, problem} }
