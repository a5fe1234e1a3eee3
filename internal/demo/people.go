package demo

// Password is that of every account of the demo.
const Password = "sprigs-and-slip"

// Account is somebody who may sign in to the demo.
type Account struct{ Name, FullName, Role string }

// People are the demo's accounts, one for each role.
func People() []Account {
	return []Account{
		{"maren", "Maren Oostveld", "manager"},
		{"ilko", "Ilko Brandsma-Vey", "approver"},
		{"tessel", "Tessel Quaye", "reader"},
		{"wout", "Wout Hallenga", "administrator"},
	}
}
