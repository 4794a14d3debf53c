package publish_test

import (
	"testing"

	"yellowgate/internal/clitest"
)

func TestMain(m *testing.M) { clitest.Main(m) }
