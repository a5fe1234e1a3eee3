package intake

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// tradeWords are further headers by the key of what they mean, as stores of other languages write them: German, French,
// Dutch, Spanish, Italian, Portuguese, Polish, Danish, Swedish and Norwegian. They are compared without signs, blanks,
// case and accents.
var tradeWords = map[string][]string{
	"from": {"valid from", "effective from", "effective date", "in force from", "price from", "applies from", "Gültig ab",
		"gilt ab", "ab Datum", "Preis ab", "valable à partir du", "à partir du", "applicable au", "geldig vanaf",
		"ingangsdatum", "válido desde", "vigente desde", "valido dal", "decorrenza", "válido a partir de", "ważne od",
		"gælder fra"},
	"sku": {"articlenumber", "itemnumber", "productcode", "articleno", "itemno", "productnumber", "partnumber", "skucode",
		"Artikelnummer", "Artikelnr", "Art.-Nr.", "ArtNr", "Bestellnummer",
		"référence", "réf", "réf article", "code article", "référence article", "artikelcode", "artikelnr", "bestelnummer",
		"artículo", "referencia", "código", "código de artículo", "articolo", "codice", "codice articolo",
		"artigo", "código do artigo", "referência", "indeks", "kod towaru", "numer artykułu", "symbol", "varenummer",
		"varenr", "code", "article", "item", "Artikel"},
	"name": {"title", "description", "productname", "itemname", "designation", "Bezeichnung", "Artikelbezeichnung",
		"Produktname", "Beschreibung", "désignation", "libellé", "nom", "nom du produit", "intitulé", "omschrijving", "naam",
		"artikelomschrijving", "productnaam", "nombre", "descripción", "denominación", "nome", "descrizione", "denominazione",
		"descrição", "nazwa", "nazwa towaru", "opis", "navn", "beskrivelse", "benämning", "namn", "betegnelse", "article",
		"item", "Artikel"},
	"list": {"price", "listprice", "retailprice", "salesprice", "sellingprice", "grossprice", "Preis", "Listenpreis",
		"Verkaufspreis", "VK", "VK-Preis", "VK brutto", "Bruttopreis", "Ladenpreis", "prix", "prix de vente", "prix public",
		"prix TTC",
		"tarif", "PV", "prijs", "verkoopprijs", "adviesverkoopprijs", "lijstprijs", "brutoprijs", "precio", "precio de venta",
		"PVP", "tarifa", "prezzo", "prezzo di vendita", "prezzo di listino", "listino", "preço", "preço de venda",
		"cena", "cena sprzedaży", "cena brutto", "cena katalogowa", "pris", "udsalgspris", "salgspris", "listepris",
		"försäljningspris", "utpris", "utsalgspris"},
	"cost": {"costprice", "purchaseprice", "unitcost", "buyingprice", "Einkaufspreis", "EK", "EK-Preis", "EK netto",
		"Einstandspreis", "Kosten", "prix d'achat", "prix de revient", "coût", "PA", "inkoopprijs", "inkoop", "kostprijs",
		"coste",
		"precio de compra", "precio de coste", "costo", "prezzo di acquisto", "prezzo d'acquisto", "custo", "preço de custo",
		"preço de compra", "koszt", "cena zakupu", "kostpris", "indkøbspris", "inköpspris", "innkjøpspris", "inpris"},
	"rrp": {"recommendedretailprice", "recommendedprice", "msrp", "srp", "UVP", "unverbindliche Preisempfehlung",
		"prix conseillé", "prix de vente conseillé", "PVC", "adviesprijs", "precio recomendado", "PVP recomendado",
		"prezzo consigliato", "preço recomendado", "cena sugerowana", "vejledende pris", "rekommenderat pris",
		"veiledende pris"},
	"map": {"lowestadvertised", "minimumadvertisedprice", "Mindestwerbepreis", "prix minimum affiché",
		"minimumadvertentieprijs", "precio mínimo anunciado"},
	"category": {"categorypath", "productgroup", "group", "department", "Kategorie", "Warengruppe", "Artikelgruppe",
		"catégorie", "rayon", "famille", "categorie", "artikelgroep", "productgroep", "categoría", "familia", "categoria",
		"reparto",
		"gruppo merceologico", "família", "kategoria", "grupa towarowa", "kategori", "varegruppe", "varugrupp"},
	"brand": {"make", "manufacturer", "Marke", "Hersteller", "marque", "fabricant", "merk", "fabrikant", "marca",
		"fabricante", "produttore", "marka", "producent", "mærke", "varumärke", "märke", "merke"},
	"supplier": {"vendor", "Lieferant", "fournisseur", "leverancier", "proveedor", "fornitore", "fornecedor", "dostawca",
		"leverandør", "leverantör"},
	"style": {"parent", "parentsku", "Hauptartikel", "Modell", "article parent", "modèle", "hoofdartikel", "model",
		"modelo", "modello"},
	"tags": {"labels", "keywords", "Schlagworte", "Stichworte", "étiquettes", "mots-clés", "trefwoorden", "etiquetas",
		"etichette", "tagi", "etikety", "nøgleord", "etiketter"},
	"stock": {"onhand", "quantity", "stockquantity", "inventory", "available", "Bestand", "Lagerbestand", "Menge",
		"stock disponible", "quantité", "quantité en stock", "voorraad", "aantal", "existencias", "cantidad", "giacenza",
		"quantità",
		"estoque", "quantidade", "stan", "stan magazynowy", "ilość", "lager", "lagerantal", "lagersaldo", "beholdning",
		"antal"},
	"gtin": {"ean", "barcode", "upc", "isbn", "ean13", "eancode", "EAN-Code", "Strichcode", "code-barres",
		"streepjescode", "código de barras", "codice a barre", "kod kreskowy", "stregkode", "streckkod", "strekkode"},
	"type": {"producttype", "Art", "Artikelart", "Produktart", "type de produit", "soort", "tipo", "rodzaj", "typ"},
	"rating": {"stars", "score", "Bewertung", "beoordeling", "valoración", "valutazione", "ocena", "bedømmelse",
		"betyg"},
	"minOrder": {"minimumorder", "minimumquantity", "moq", "Mindestbestellmenge", "Mindestmenge", "quantité minimum",
		"minimum de commande", "minimale afname", "pedido mínimo", "ordine minimo", "minimalne zamówienie"},
	"content": {"netcontent", "weight", "volume", "Inhalt", "Gewicht", "contenu", "poids", "inhoud", "gewicht",
		"contenido", "peso", "contenuto", "conteúdo", "zawartość", "waga", "indhold", "vægt", "innehåll"},
	"taxClass": {"tax", "taxcode", "vat", "vatcode", "Steuersatz", "MwSt", "USt", "Steuerklasse", "TVA", "taux de TVA",
		"btw", "btw-tarief", "IVA", "tipo de IVA", "aliquota IVA", "stawka VAT", "moms", "mva"},

	"at": {"date", "datetime", "ordered", "orderdate", "soldat", "time", "Datum", "Zeitpunkt", "Bestelldatum",
		"Verkaufsdatum", "date de vente", "date de commande", "besteldatum", "verkoopdatum", "fecha", "fecha de venta",
		"data", "data vendita",
		"data da venda", "data sprzedaży", "dato", "ordredato", "orderdatum"},
	"quantity": {"qty", "units", "pieces", "count", "Menge", "Anzahl", "Stück", "Stk", "quantité", "qté", "aantal",
		"stuks", "cantidad", "unidades", "quantità", "pezzi", "quantidade", "ilość", "sztuk", "szt", "antal", "stk",
		"antall"},
	"customer": {"customercode", "customernumber", "account", "buyer", "customername", "Kunde", "Kundennummer", "Kundennr",
		"Kundenname", "client", "code client", "numéro client", "klant", "klantnummer", "klantcode", "cliente",
		"código de cliente",
		"codice cliente", "klient", "numer klienta", "kunde", "kundenummer", "kund", "kundnummer"},
	"paid": {"total", "amount", "revenue", "linetotal", "Summe", "Betrag", "Umsatz", "Gesamt", "montant",
		"chiffre d'affaires", "bedrag", "omzet", "totaal", "importe", "importo", "totale", "valor", "kwota", "wartość",
		"beløb", "belopp", "summa"},
	"channel": {"shop", "store", "place", "Kanal", "Filiale", "Laden", "canal", "magasin", "boutique", "kanaal", "winkel",
		"tienda", "canale", "negozio", "loja", "kanał", "sklep", "butik"},
	"price": {"agreedprice", "contractprice", "netprice", "amount", "Preis", "Nettopreis", "Sonderpreis", "Kundenpreis",
		"prix", "prix convenu", "prix net", "prijs", "nettoprijs", "afgesproken prijs", "precio", "precio acordado", "prezzo",
		"prezzo concordato", "preço", "cena", "cena umowna", "pris", "aftalepris", "nettopris"},
	"currency": {"code", "currencycode", "iso", "Währung", "devise", "monnaie", "valuta", "munteenheid", "moneda",
		"divisa", "moeda", "waluta"},
	"rate": {"exchangerate", "value", "Kurs", "Wechselkurs", "taux", "taux de change", "cours", "koers", "wisselkoers",
		"tipo de cambio", "tasso", "cambio", "câmbio", "taxa de câmbio", "kurs walutowy", "kurs"},
	"day": {"date", "asof", "validfrom", "Datum", "Tag", "Stichtag", "date", "jour", "datum", "dag", "fecha", "día",
		"data", "giorno", "dia", "dzień", "dato"},
}

// normal is a header without signs, blanks, case and accents.
func normal(header string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.Is(unicode.Mn, r) || !unicode.IsLetter(r) && !unicode.IsDigit(r):
			return -1
		case r == 'ł' || r == 'Ł':
			return 'l'
		case r == 'ø' || r == 'Ø':
			return 'o'
		}
		return unicode.ToLower(r)
	}, norm.NFD.String(strings.ReplaceAll(header, "ß", "ss")))
}
