package bookfile

import (
	"fmt"

	"dogbane/internal/pricing"
)

// Canonical is a piece of a book as the encoder writes it: two documents mean the same piece just where theirs is the
// same. list is the key of the document that the piece stands under; what the piece refers to is not looked at.
func Canonical(list string, doc []byte) ([]byte, error) {
	n, err := parse(doc)
	if err != nil {
		return nil, err
	}
	var out []byte
	switch list {
	case "settings":
		out = written(n.settings(), EncodeSettings)
	case "groups":
		out = written(n.group(), encodeGroup)
	case "customers":
		out = written(n.customer(), EncodeCustomer)
	case "ranges":
		out = written(n.namedRange(), encodeRange)
	case "ladders":
		out = written(n.ladder(), encodeLadder)
	case "campaigns":
		out = written(n.campaign(), EncodeCampaign)
	case "channels":
		out = written(n.channel(), EncodeChannel)
	case "products":
		out = written(n.product(), EncodeProduct)
	case "rules":
		out = written(n.rule(), EncodeRule)
	default:
		return nil, fmt.Errorf("a book has no list %q", list)
	}
	return out, n.r.err()
}

func written[T any](piece T, encode func(*T) []byte) []byte { return encode(&piece) }

func encodeGroup(g *pricing.Group) []byte {
	return newObject().text("code", g.Code).text("name", g.Name).done()
}

func encodeRange(r *pricing.Range) []byte {
	return newObject().text("code", r.Code).text("name", r.Name).raw("where", encodeWhere(&r.Where)).done()
}

func encodeLadder(l *pricing.Ladder) []byte {
	return newObject().text("code", l.Code).text("name", l.Name).raw("breaks",
		encodeBreaks(l.Breaks)).counting(l.Counting).done()
}
