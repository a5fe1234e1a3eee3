package publish_test

import (
	"testing"

	"dogbane/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }
