package bookfile

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
)

// The worked examples of testdata hold; testdata/baskets are random books answered by an independent reading.
func TestWorkedExamples(t *testing.T) {
	files, err := filepath.Glob("testdata/*.json")
	require.NoError(t, err)
	baskets, err := filepath.Glob("testdata/baskets/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	require.NotEmpty(t, baskets)
	files = append(files, baskets...)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			data, err := os.ReadFile(file)
			require.NoError(t, err)
			check, err := ReadCheck(data)
			require.NoError(t, err)
			diffs, err := check.Run()
			require.NoError(t, err)
			require.Empty(t, diffs)
		})
	}
}

// A check that expects something else says so: the runner is not blind.
func TestDifferencesAreFound(t *testing.T) {
	data, err := os.ReadFile("testdata/ending-from-two.json")
	require.NoError(t, err)
	check, err := ReadCheck([]byte(strings.Replace(string(data), `"unit": "54.95"`, `"unit": "54.96"`, 1)))
	require.NoError(t, err)
	diffs, err := check.Run()
	require.NoError(t, err)
	require.Len(t, diffs, 1)
	require.Equal(t, Difference{"expect[1].is.unit", `"54.96"`, `"54.95"`}, diffs[0])
}

const settings = `"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam","taxRates":{"standard":"21"}}`

func rule(more string) string {
	return fmt.Sprintf(`{%s,"products":[{"sku":"A","list":"10.00"}],"rules":[{"code":"X","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"10"}%s}]}`, settings, more)
}

// Each broken document names the place of its error.
func TestErrorsHaveTheirPath(t *testing.T) {
	base := `{` + settings + `,"products":[%s],"rules":[%s]}`
	ok := `{"code":"X","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"10"}}`
	later := func(entries string) string { return fmt.Sprintf(base, `{"sku":"A","later":[`+entries+`]}`, ``) }
	country := func(entry string) string {
		return `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"standard":"21"},"countries":{` +
			entry + `}}}`
	}
	edit := func(from, to string) string { return fmt.Sprintf(base, "", strings.Replace(ok, from, to, 1)) }
	for doc, path := range map[string]string{
		edit(`,"where":{"all":[]}`, ``):                                                        "rules[0].where",
		edit(`"percentOff":"10"`, `"percentOff":"120"`):                                        "rules[0].effect.percentOff",
		edit(`"percentOff":"10"`, `"percentOff":10`):                                           "rules[0].effect.percentOff",
		edit(`"percentOff":"10"`, `"percentOff":"1,5"`):                                        "rules[0].effect.percentOff",
		edit(`"percentOff":"10"`, `"amountOff":"-1"`):                                          "rules[0].effect.amountOff",
		edit(`"percentOff":"10"`, `"margin":"100"`):                                            "rules[0].effect.margin",
		edit(`"percentOff":"10"`, `"percentOf":"10"`):                                          "rules[0].effect.percentOf",
		edit(`"rank":1`, `"rank":0`):                                                           "rules[0].rank",
		edit(`"rank":1`, `"rank":"1"`):                                                         "rules[0].rank",
		edit(`"layer":"sale"`, `"layer":"sales"`):                                              "rules[0].layer",
		edit(`{"all":[]}`, `{"all":[],"sku":"A"}`):                                             "rules[0].where",
		edit(`{"all":[]}`, `{"range":"nowhere"}`):                                              "rules[0].where.range",
		edit(`{"all":[]}`, `{"any":[{"colour":"red"}]}`):                                       "rules[0].where.any[0].colour",
		edit(`{"all":[]}`, `{"list":{"min":"9","max":"8"}}`):                                   "rules[0].where.list.max",
		edit(`,"effect":{"percentOff":"10"}`, ``):                                              "rules[0]",
		edit(`"effect":`, `"order":{"min":2},"effect":`):                                       "rules[0]",
		rule(`,"channels":["nowhere"]`):                                                        "rules[0].channels[0]",
		rule(`,"campaign":"autumn"`):                                                           "rules[0].campaign",
		rule(`,"audience":{"groups":["trade"]}`):                                               "rules[0].audience.groups[0]",
		rule(`,"currency":"EURO"`):                                                             "rules[0].currency",
		rule(`,"of":"catalogue"`):                                                              "rules[0].of",
		rule(`,"ending":{"step":"0"}`):                                                         "rules[0].ending.step",
		rule(`,"method":"whole"`):                                                              "rules[0].method",
		rule(`,"window":{"from":"2026-05-02T00:00","to":"2026-05-02T00:00"}`):                  "rules[0].window.to",
		rule(`,"window":{"to":"2026-04-31T00:00"}`):                                            "rules[0].window.to",
		rule(`,"window":{"hours":["09:00","09:00"]}`):                                          "rules[0].window.hours",
		rule(`,"window":{"weekly":{"from":"fri 18:00","to":"fri 18:00"}}`):                     "rules[0].window.weekly.to",
		rule(`,"window":{"yearly":{"from":"02-30","to":"03-01"}}`):                             "rules[0].window.yearly.from",
		fmt.Sprintf(base, `{"sku":"A"},{"sku":"A"}`, ``):                                       "products[1].sku",
		fmt.Sprintf(base, `{"sku":"A","list":"-1"}`, ``):                                       "products[0].list",
		fmt.Sprintf(base, `{"sku":"A","taxClass":"luxury"}`, ``):                               "products[0].taxClass",
		fmt.Sprintf(base, ``, ok+","+ok):                                                       "rules[1].code",
		rule(`,"floor":{"level":"B","cost":true}`):                                             "rules[0].floor",
		rule(`,"floor":{"level":"B","withFee":true}`):                                          "rules[0].floor.withFee",
		rule(`,"floor":{"amount":"5","withFee":true}`):                                         "rules[0].floor.withFee",
		later(`{"from":"2027-01-01T00:00"}`):                                                   "products[0].later[0]",
		later(`{"from":"2027-01-01T00:00","levels":{}}`):                                       "products[0].later[0]",
		later(`{"list":"9"}`):                                                                  "products[0].later[0].from",
		later(`{"from":"2027-02-29T00:00","list":"9"}`):                                        "products[0].later[0].from",
		later(`{"from":"2027-01-01T00:00","list":"9"},{"from":"2027-01-01T00:00","cost":"9"}`): "products[0].later[1].from",
		later(`{"from":"2027-01-01T00:00","listIn":{"GBX":"9"}}`):                              "products[0].later[0].listIn.GBX",
		country(`"DE":{}`):                                                                     "settings.countries.DE.taxRates",
		country(`"de":{"taxRates":{}}`):                                                        "settings.countries.de",
		country(`"DE":{"taxRates":{"luxury":"30"}}`):                                           "settings.countries.DE.taxRates.luxury",
		`{` + settings + `,"channels":[{"code":"de","keeps":"margin"}]}`:                       "channels[0].keeps",
		`{"book":"dogbane/1","settings":{"currency":"EUR"}}`:                                   "settings.timeZone",
		`{"book":"dogbane/2","settings":{"currency":"EUR","timeZone":"UTC"}}`:                  "book",
	} {
		_, err := Decode([]byte(doc))
		var errs Errors
		require.True(t, errors.As(err, &errs), doc)
		require.Equal(t, path, errs[0].Path, "%s\n%v", doc, errs)
		require.NotEmpty(t, errs[0].Problem)
	}
}

// Every error of an offer is named at the path of its key.
func TestErrorsOfOffersHaveTheirPath(t *testing.T) {
	good := `{"needs":[{"id":"a","where":{"all":[]},"quantity":2},{"id":"s","where":{"all":[]},"same":"sku"}],"gives":[{"to":"a","units":1,"percentOff":"50"}]}`
	for change, path := range map[[2]string]string{
		{`"quantity":2`, `"quantity":0`}:                                                            "needs[0].quantity",
		{`"id":"s"`, `"id":"a"`}:                                                                    "needs[1].id",
		{`"id":"s"`, `"id":"basket"`}:                                                               "needs[1].id",
		{`"to":"a"`, `"to":"z"`}:                                                                    "gives[0].to",
		{`"units":1`, `"units":3`}:                                                                  "gives[0].units",
		{`"units":1`, `"units":0`}:                                                                  "gives[0].units",
		{`"units":1`, `"units":"all"`}:                                                              "gives[0].units",
		{`"to":"a"`, `"to":"basket"`}:                                                               "gives[0].units",
		{`"to":"a","units":1,"percentOff"`, `"to":"a","forTotal"`}:                                  "gives[0].forTotal",
		{`"percentOff":"50"}`, `"percentOff":"50"},{"to":"needs","forTotal":"5"}`}:                  "gives[1].forTotal",
		{`"percentOff":"50"`, `"amountOff":"5","of":"list"`}:                                        "gives[0].of",
		{`"to":"a"`, `"to":"s","pick":"in-turn"`}:                                                   "gives[0].pick",
		{`"to":"a","units":1`, `"to":"needs","pick":"in-turn"`}:                                     "gives[0].pick",
		{`"to":"a"`, `"to":{"where":{"all":[]}},"pick":"in-turn"`}:                                  "gives[0].pick",
		{`"to":"a","units":1,"percentOff":"50"}]`, `"to":"basket","percentOff":"5"}],"maxUnits":2`}: "maxUnits",
		{`}]}`, `}],"maxUnits":0}`}:                                                                 "maxUnits",
		{`}]}`, `}],"repeat":0}`}:                                                                   "repeat",
		{`}]}`, `}],"stock":0}`}:                                                                    "stock",
		{`}]}`, `}],"perCustomer":0}`}:                                                              "perCustomer",
		{`}]}`, `}],"after":{"days":0}}`}:                                                           "after.days",
		{`}]}`, `}],"codes":{"words":["clayday"]}}`}:                                                "codes.words[0]",
		{`}]}`, `}],"codes":{"words":["CLAY DAY"]}}`}:                                               "codes.words[0]",
		{`}]}`, `}],"codes":{"words":["CL"]}}`}:                                                     "codes.words[0]",
		{`}]}`, `}],"codes":{}}`}:                                                                   "codes.words",
		{`}]}`, `}],"codes":{"listed":true,"uses":0}}`}:                                             "codes.uses",
		{`}]}`, `}],"codes":{"listed":true,"usesPerCustomer":0}}`}:                                  "codes.usesPerCustomer",
		{`}]}`, `}],"codes":{"listed":true,"graceDays":-1}}`}:                                       "codes.graceDays",
		{`[{"to":"a","units":1,"percentOff":"50"}]`, `[]`}:                                          "gives",
		{`,"gives":[{"to":"a","units":1,"percentOff":"50"}]`, ``}:                                   "gives",
	} {
		require.Contains(t, good, change[0])
		doc := `{` + settings + `,"rules":[{"code":"X","layer":"promotion","rank":1,"where":{"all":[]},"offer":` +
			strings.Replace(good, change[0], change[1], 1) + `}]}`
		_, err := Decode([]byte(doc))
		var errs Errors
		require.ErrorAs(t, err, &errs, doc)
		require.Equal(t, "rules[0].offer."+path, errs[0].Path, "%s\n%v", doc, errs)
	}
	_, err := Decode([]byte(`{` + settings +
		`,"rules":[{"code":"X","layer":"promotion","rank":1,"where":{"all":[]},"offer":` + good + `}]}`))
	require.NoError(t, err)
}

// All errors are reported at once, each once.
func TestAllErrorsAtOnce(t *testing.T) {
	_, err := Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"QQQ","timeZone":"Mars/Base"},"products":[{"sku":""}],"rules":"none","extra":1}`))
	var errs Errors
	require.True(t, errors.As(err, &errs))
	var paths []string
	for _, e := range errs {
		paths = append(paths, e.Path)
	}
	require.ElementsMatch(t, []string{"extra", "settings.currency", "settings.timeZone", "products[0].sku", "rules"},
		paths)
}

// everything holds every key of the document once.
const everything = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam","rounding":{"mode":"half-even","when":"step"},"pricesIncludeTax":false,
"taxRates":{"standard":"21"},"shippingTaxClass":"standard","countries":{"DE":{"taxRates":{"standard":"19"}}},"layers":[{"layer":"catalog","mode":"first"},{"layer":"group","mode":"stack","then":"end-price"},{"layer":"sale","mode":"highest"},{"layer":"tier","mode":"lowest"},{"layer":"promotion","mode":"lowest"}],
"guard":{"minMargin":"5","action":"hold","maxOff":"60"},"guards":[{"where":{"brand":"B"},"minMargin":"12"}],"byHand":{"maxPercent":"5","maxAmount":"3.00"},"hire":{"freeFirstDayFrom":"17:30","freeLastDayUntil":"09:30"},"rates":{"GBP":"0.85"}},
"groups":[{"code":"trade","name":"Trade"}],"customers":[{"code":"C","name":"One","groups":["trade"],"attrs":{"region":"north"}}],
"ranges":[{"code":"r","name":"R","where":{"any":[{"tag":["x","y"]},{"not":{"attr":{"cone":"6","kg":{"min":"5"}}}}]}}],
"ladders":[{"code":"l","breaks":[{"from":6,"percentOff":"2"},{"from":24,"setPrice":"4.50"}],"method":"graduated"}],
"campaigns":[{"code":"k","status":"draft","window":{"weekly":{"from":"fri 18:00","to":"mon 10:00"}},"audience":{"countries":["NL"],"firstOrder":true},"channels":["web"]}],
"channels":[{"code":"web","name":"Web","currency":"GBP","group":"trade","country":"GB","tax":"excluded","keeps":"net","ending":{"step":"1","direction":"up","shift":"-0.01"},"where":{"category":"Clay"},"fee":{"percent":"12","amount":"0.30"},"can":["breaks"],
"limits":{"wholeUnits":true,"minOffPercent":"15","maxOffPercent":"55","offFrom":"lowest30","needsReference":true,"minRating":"4.5","leadHours":"36","refusedWords":["cheap"],"needsTerms":true},"language":"en"}],
"products":[{"sku":"A","name":"a","list":"10.00","cost":"4.1234","costs":{"last":"4.00"},"rrp":"11.00","map":"9.00","levels":{"B":"8.00"},"listIn":{"GBP":"9.00"},"style":"S","category":"Clay/Stoneware","brand":"B","supplier":"U","type":"T","tags":["x"],
"attrs":{"cone":"6","kg":12.5},"stock":"3","rating":"4.5","gtin":"5901234123457","taxClass":"standard","minOrder":2,"unit":"month","content":{"amount":"12.5","of":"kg"},"hire":{"freeFirstDayFrom":"18:00"},"options":[{"code":"engrave","price":"6.00","part":"work"}],"sold":"7","later":[{"from":"2027-01-01T00:00","list":"10.40","cost":"4.25","costs":{"last":"4.10"},"rrp":"11.50","map":"9.20","levels":{"B":"8.20"},"listIn":{"GBP":"9.30"}},{"from":"2027-01-01T00:00:30","list":"10.50"}],"onRequest":true}],
"rules":[{"code":"P","layer":"tier","rank":2,"name":"n","note":"o","status":"off","campaign":"k","where":{"all":[{"reduced":false},{"list":{"max":"20"}}]},"window":{"from":"2026-01-01T00:00","to":"2026-02-01T00:00","days":["fri"],"hours":["22:00","02:00"],"yearly":{"from":"12-20","to":"01-06"}},
"audience":{"groups":["trade"],"customers":["C"],"customerAttr":{"region":["north"]},"signedIn":true},"channels":["web"],"minQuantity":3,"currency":"GBP","hireMatch":"any","then":"end-layer","breaks":[{"from":"10.5","derive":{"from":"A","basis":"list","percent":"4","min":"1.00","max":"9.00","counts":"both"}}],
"count":{"where":{"sku":"A"}},"measure":"spend","historyDays":90,"of":"cost:last","on":["base","work"],"ending":{"step":"0.5"},"maxOff":{"amount":"8.00"},"floor":{"margin":"10","withFee":true},"mayRaise":true,"show":{"label":"L","message":"m","badge":"b","image":"i","alt":"a","terms":"t","as":"ordinary"},"liveTags":{"add":["z"],"remove":["y"]}},
{"code":"L","layer":"tier","rank":3,"where":{"range":"r"},"ladder":"l"},
{"code":"B","layer":"sale","rank":1,"where":{"all":[]},"breaks":[{"from":1,"percentOn":"1"},{"from":2,"amountOn":"1.00"},{"from":3,"markup":"5"},{"from":4,"level":"B"}]},
{"code":"E","layer":"sale","rank":2,"where":{"all":[]},"effect":{"margin":"30"},"floor":{"level":"LEAST"}},
{"code":"O","layer":"promotion","rank":1,"where":{"all":[]},"offer":{"needs":[{"id":"a","where":{"sku":"A"},"quantity":2,"same":"sku"},{"id":"b","where":{"sku":"A"},"quantity":2}],"spend":{"where":{"all":[]},"amount":"50.00","every":true},"after":{"where":{"all":[]},"days":30},
"codes":{"words":["CLAYDAY"],"listed":true,"uses":100,"usesPerCustomer":1,"graceDays":2},"gives":[{"to":"a","units":1,"percentOff":"50","pick":"dearest","of":"list"},{"to":"b","units":1,"amountOff":"1.00","pick":"in-turn"},{"to":{"where":{"tag":"x"}},"units":"all","each":"1.00"}],"repeat":1,"maxUnits":4,"maxOff":"100.00","skipReduced":true,"stock":80,"perCustomer":1}},
{"code":"S","layer":"promotion","rank":2,"where":{"all":[]},"offer":{"needs":[{"id":"a","where":{"sku":"A"},"quantity":1}],"gives":[{"to":"needs","forTotal":"9.00"}]}},
{"code":"M","layer":"group","rank":1,"where":{"all":[]},"order":{"min":6,"multiple":6,"max":24,"perCustomer":48}}]}`

// Encoding what was decoded gives a document that decodes to the same, and loses no key.
func TestEncodeKeepsEverything(t *testing.T) {
	book, err := Decode([]byte(everything))
	require.NoError(t, err)
	once := Encode(book)
	again, err := Decode(once)
	require.NoError(t, err, string(once))
	require.Equal(t, string(once), string(Encode(again)))
	require.JSONEq(t, everything, string(once))
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(everything))
	f.Add([]byte(rule("")))
	f.Fuzz(func(t *testing.T, data []byte) {
		book, err := Decode(data)
		if err != nil {
			return
		}
		once := Encode(book)
		again, err := Decode(once)
		require.NoError(t, err)
		require.Equal(t, string(once), string(Encode(again)))
		pricing.Compile(book)
	})
}
