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
		out = written(n, n.settings(), EncodeSettings)
	case "groups":
		out = written(n, n.group(), EncodeGroup)
	case "customers":
		out = written(n, n.customer(), EncodeCustomer)
	case "ranges":
		out = written(n, n.namedRange(), EncodeRange)
	case "ladders":
		out = written(n, n.ladder(), EncodeLadder)
	case "campaigns":
		out = written(n, n.campaign(), EncodeCampaign)
	case "channels":
		out = written(n, n.channel(), EncodeChannel)
	case "products":
		out = written(n, n.product(), EncodeProduct)
	case "rules":
		out = written(n, n.rule(), EncodeRule)
	default:
		return nil, fmt.Errorf("a book has no list %q", list)
	}
	return out, n.r.err()
}

// written is a piece as the encoder writes it, if it was read without errors.
func written[T any](n *node, piece T, encode func(*T) []byte) []byte {
	if len(n.r.errs) > 0 {
		return nil
	}
	return encode(&piece)
}

// EncodeGroup writes a customer group.
func EncodeGroup(g *pricing.Group) []byte {
	return shapedObject("group").text("code", g.Code).text("name", g.Name).done()
}

// EncodeRange writes a range.
func EncodeRange(r *pricing.Range) []byte {
	return shapedObject("range").text("code", r.Code).text("name", r.Name).raw("where", encodeWhere(&r.Where)).done()
}

// EncodeLadder writes a ladder.
func EncodeLadder(l *pricing.Ladder) []byte {
	return shapedObject("ladder").text("code", l.Code).text("name", l.Name).raw("breaks",
		encodeBreaks(l.Breaks)).counting(l.Counting).done()
}

// read reads one piece by itself: what it refers to is not looked at.
func read[T any](doc []byte, piece func(*node) T) (T, error) {
	n, err := parse(doc)
	if err != nil {
		var none T
		return none, err
	}
	return piece(n), n.r.err()
}

// ReadRule reads a rule by itself: what it refers to is not looked at. So do the others.
func ReadRule(doc []byte) (pricing.Rule, error) { return read(doc, (*node).rule) }

// ReadRange reads a range.
func ReadRange(doc []byte) (pricing.Range, error) { return read(doc, (*node).namedRange) }

// ReadLadder reads a ladder.
func ReadLadder(doc []byte) (pricing.Ladder, error) { return read(doc, (*node).ladder) }

// ReadCampaign reads a campaign.
func ReadCampaign(doc []byte) (pricing.Campaign, error) { return read(doc, (*node).campaign) }

// ReadChannel reads a channel.
func ReadChannel(doc []byte) (pricing.Channel, error) { return read(doc, (*node).channel) }

// ReadProduct reads a product.
func ReadProduct(doc []byte) (pricing.Product, error) { return read(doc, (*node).product) }

// ReadSettings reads settings.
func ReadSettings(doc []byte) (pricing.Settings, error) { return read(doc, (*node).settings) }
