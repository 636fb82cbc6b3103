<%page args="facts, sets, curves, pictures, pairs, p2, p3, when"/>\
<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${facts["project"]}, run ${facts["run"]["number"]}: report</title>
<style>
  :root { color-scheme: light; }
  body { font: 15px/1.45 system-ui, sans-serif; color: #24281f; background: #fbfaf5; margin: 2rem auto; max-width: 50rem; padding: 0 1rem; }
  h1 { font-size: 1.6rem; margin: 0; }
  h2 { font-size: 1.1rem; margin: 1.8rem 0 .4rem; border-bottom: 1px solid #cfcbb9; }
  .quiet { color: #5d6154; }
  .wrong { color: #a33a14; }
  table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
  th { text-align: left; font-weight: normal; color: #5d6154; }
  td, th { padding: .15rem .7rem .15rem 0; vertical-align: top; }
  td.n, th.n { text-align: right; }
  tr + tr td { border-top: 1px solid #e4e1d3; }
  table + table { margin-top: .8rem; }
  .matrix td { width: 2.4rem; height: 2rem; text-align: center; vertical-align: middle; padding: 0; border: 1px solid #e4e1d3; }
  .matrix th { padding: 0 .5rem; white-space: nowrap; }
  .matrix th.top { writing-mode: vertical-rl; transform: rotate(180deg); padding: .3rem 0; }
  .right, .err { print-color-adjust: exact; -webkit-print-color-adjust: exact; }
  .right { background: #d5e6dd; } .err { background: #d9704a; color: #fff; font-weight: 600; }
  figure { margin: 0; break-inside: avoid; }
  .tiles { display: flex; flex-wrap: wrap; gap: .8rem; }
  .tiles figure { width: 7.2rem; font-size: .8rem; }
  .tiles img { width: 7.2rem; height: 7.2rem; object-fit: contain; background: #24281f; }
  code { font-size: .85rem; overflow-wrap: anywhere; }
  @page { size: A4; margin: 16mm; }
  @media print { body { margin: 0; max-width: none; background: none; } h2 { break-after: avoid; } tr { break-inside: avoid; } }
</style>
</head>
<body>
<h1>${facts["project"]}, run ${facts["run"]["number"]}${", " + facts["run"]["name"] if facts["run"]["name"] else ""}</h1>
<p class="quiet">Made ${when(facts["made_at"])} by Vast Orchard ${facts["program"]}; trained ${when(facts["run"]["started_at"])} by ${facts["run"]["program"]}.</p>
% if facts["run"]["note"]:
<p>${facts["run"]["note"]}</p>
% endif

<h2>In short</h2>
% for name, judged in facts["sets"].items():
<% scores = judged["scores"] %>\
<p><b>${p3(scores["accuracy"])}</b> on ${scores["count"]} ${name} pictures: ${scores["right"]} right,
<span class="wrong">${scores["count"] - scores["right"]} wrong</span>; 95 % between ${p3(scores["accuracy_interval"][0])} and ${p3(scores["accuracy_interval"][1])};
naming the largest class alone would give ${p3(scores["largest_class_share"])}.
% if name == "training":
<span class="quiet">These it has learnt from: how well it does on others they cannot tell.</span>
% elif name == "validation":
<span class="quiet">Validation chose settings and epoch, so it flatters a little.</span>
% elif name == "outside":
<span class="quiet">These lie in no set of this run.</span>
% endif
</p>
% endfor
% if "test" not in facts["sets"]:
<p class="quiet">${"No test figures stand here" if facts["pictures"]["by_set"].get("test") else "There is no test set"}, so nothing is claimed of pictures that had no say in any choice. Looks at the test set so far: ${facts["model"]["looks_at_test"]}.</p>
% else:
<p class="quiet">Looks at the test set so far, this one included: ${facts["model"]["looks_at_test"]}. Whatever was chosen after the first knew it.</p>
% endif
% for entry in facts["in_short"]:
<p>${entry["words"]}
% if entry["p"] is not None:
<span class="quiet">p = ${p2(entry["p"])}</span>
% endif
</p>
% endfor
% for entry in facts["slices"][1:]:
<p>Errors are ${p2(entry["times"])} times as frequent ${entry["words"]} (${entry["wrong"]} of ${entry["count"]} wrong, p = ${p2(entry["p"])}).</p>
% endfor

<h2>Pictures</h2>
<table>
<tr><th>class</th>
% for name in sets:
<th class="n">${name}</th>
% endfor
</tr>
% for place, label in enumerate(facts["classes"]):
<tr><td>${label}</td>
% for name in sets:
<td class="n">${facts["pictures"]["by_class"][name][place]}</td>
% endfor
</tr>
% endfor
<tr><td><b>all</b></td>
% for name in sets:
<td class="n"><b>${facts["pictures"]["by_set"][name]}</b></td>
% endfor
</tr>
</table>
<p class="quiet">Split ${facts["pictures"]["split"]}. ${facts["pictures"]["in_groups_of_copies"]} pictures of the project lie in ${facts["pictures"]["groups_of_copies"]} groups of copies.
Since then ${facts["pictures"]["labels_changed_since"]} labels were changed, ${facts["pictures"]["added_since"]} pictures added and ${facts["pictures"]["gone_since"]} taken away.</p>

<h2>Curves</h2>
<figure>${curves | n}</figure>
<p class="quiet">Epoch ${facts["model"]["epoch"]} of ${facts["run"]["epochs_done"]} is kept.</p>
% if facts["lookouts"]:
<ul>
% for entry in facts["lookouts"]:
<li>${entry["words"]}${" since epoch " + str(entry["since"]) if entry.get("since") else ""}. ${entry.get("why") or ""}</li>
% endfor
</ul>
% endif

% for name, judged in facts["sets"].items():
<% scores, sure = judged["scores"], judged["sureness"] %>\
<h2>Scores on ${name}</h2>
<table>
<tr><th>figure</th><th class="n">value</th><th>95 %</th></tr>
% if sure:
% for entry in sure["scores"]:
<tr><td>${entry["name"]}</td><td class="n">${p3(entry["value"])}</td><td>${p3(entry["interval"][0]) + "–" + p3(entry["interval"][1]) if entry["interval"] else "–"}</td></tr>
% endfor
% else:
<tr><td>accuracy</td><td class="n">${p3(scores["accuracy"])}</td><td>${p3(scores["accuracy_interval"][0])}–${p3(scores["accuracy_interval"][1])}</td></tr>
% endif
</table>
<table>
<tr><th>class</th><th class="n">precision</th><th class="n">recall</th><th>95 %</th><th class="n">F1</th><th class="n">pictures</th></tr>
% for place, label in enumerate(facts["classes"]):
<% own = scores["classes"][place]; between = sure["classes"][place]["recall"] if sure else None %>\
<tr><td>${label}</td><td class="n">${p3(own["precision"])}</td><td class="n">${p3(own["recall"])}</td><td>${p3(between[0]) + "–" + p3(between[1]) if between else "–"}</td><td class="n">${p3(own["f1"])}</td><td class="n">${own["count"]}</td></tr>
% endfor
</table>

<h2>Confusion matrix on ${name}</h2>
% if len(facts["classes"]) > 25:
<p class="quiet">Of ${len(facts["classes"])} classes, the pairs that are confused most; the whole is had as CSV from Review.</p>
<table>
<tr><th>true</th><th>read as</th><th class="n">pictures</th><th class="n">the other way</th></tr>
% for true, said, count, back in pairs(scores["confusion"]):
<tr><td>${facts["classes"][true]}</td><td class="wrong">${facts["classes"][said]}</td><td class="n">${count}</td><td class="n">${back or ""}</td></tr>
% endfor
</table>
% else:
<table class="matrix">
<tr><th class="quiet">true ↓ predicted →</th>
% for label in facts["classes"]:
<th class="top">${label}</th>
% endfor
</tr>
% for place, row in enumerate(scores["confusion"]):
<tr><th>${facts["classes"][place]}</th>
% for column, count in enumerate(row):
<td class="${"right" if place == column and count else "err" if count else ""}">${count or ""}</td>
% endfor
</tr>
% endfor
</table>
% endif
% if sure:

<h2>Calibration on ${name}</h2>
<table>
<tr><th></th><th class="n">as it is</th><th class="n">with temperature${" " + p2(sure["temperature"]) if sure["temperature"] else ""}</th></tr>
% for key, words in (("error", "calibration error"), ("error_if_true", "the same by chance alone"), ("brier", "Brier score"), ("loss", "loss")):
<tr><td>${words}</td><td class="n">${p3(sure["plain"][key])}</td><td class="n">${p3(sure["tempered"][key]) if sure["temperature"] else "–"}</td></tr>
% endfor
</table>
<table>
<tr><th class="n">answers say</th><th class="n">right</th><th class="n">pictures</th><th>95 %</th></tr>
% for one in sure["plain"]["bins"]:
<tr><td class="n">${p3(one["mean"])}</td><td class="n">${p3(one["right"] / one["count"])}</td><td class="n">${one["count"]}</td><td>${p3(one["interval"][0])}–${p3(one["interval"][1])}</td></tr>
% endfor
</table>
% endif
% endfor

<h2>Worst errors</h2>
% if not pictures:
<p class="quiet">There are none.</p>
% endif
<div class="tiles">
% for entry, address in pictures:
<figure>
% if address:
<img src="${address}" alt="${entry["name"]}">
% endif
<figcaption><span class="wrong">${entry["predicted"]}</span> ${p2(entry["p"])}, truly ${entry["true"]}<br><span class="quiet">${entry["name"]}</span></figcaption>
</figure>
% endfor
</div>

<h2>How it was made</h2>
<table>
% for part in ("settings", "preprocessing"):
% for key, value in facts["recipe"][part].items():
% if key != "area":
<tr><td>${key.replace("_", " ")}</td><td>${value}</td></tr>
% endif
% endfor
% endfor
<tr><td>what counts of a picture</td><td>${facts["working_area"]}</td></tr>
<tr><td>variation</td><td>${", ".join(one["kind"] for one in facts["recipe"]["variation"]["operations"]) or "none"}</td></tr>
<tr><td>network</td><td>${facts["recipe"]["network"]["name"] or "a network of one's own"}, ${f'{facts["model"]["parameters"]:,}'} parameters</td></tr>
<tr><td>weights, SHA-256</td><td><code>${facts["model"]["weights_sha256"]}</code></td></tr>
</table>
</body>
</html>
