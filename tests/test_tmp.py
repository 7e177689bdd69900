import json
from pathlib import Path
import pytest
from conftest import run
from test_learn import lay_pack
D={"noises.json":json.dumps({"noises":[{"id":k,"file":f"wav/{k}.wav"} for k in ("gull_far","bell_low","rope_creak")]},indent=1)}
F=[f"wav/{k}.wav" for k in ("gull_far","bell_low","rope_creak")]
C={
"indented": {"fx.txt":'effect "storm begins"\n\tsound "gull_far"\neffect "gate opens"\n\tsound "bell_low"\n'},
"indented-bare": {"fx.txt":'effect storm\n\tsound gull_far\neffect gate\n\tsound bell_low\n'},
"indented-one": {"fx.txt":'effect storm\n\tsound gull_far\n'},
"json-label": {"fx.json":json.dumps({"storm begins":{"sound":"gull_far"},"gate opens":{"sound":"bell_low"}},indent=1)},
"json-label-in": {"fx.json":json.dumps({"events":{"storm begins":{"sound":"gull_far","after":2},"gate opens":{"sound":"bell_low","after":3}}},indent=1)},
"json-value": {"fx.json":json.dumps({"storm begins":"gull_far","gate opens":"bell_low","night falls":"gull_far"},indent=1)},
"ini": {"fx.ini":"[storm begins]\nsound = gull_far\n\n[gate opens]\nsound = bell_low\n"},
"ini-value": {"fx.ini":"[events]\nstorm = gull_far\ngate = bell_low\nnight = gull_far\n"},
"xml": {"fx.xml":"<when><storm sound='gull_far'/><gate sound='bell_low'/></when>\n"},
"yaml": {"fx.yaml":"storm:\n  sound: gull_far\ngate:\n  sound: bell_low\n"},
"toml": {"fx.toml":"[storm]\nsound = \"gull_far\"\n\n[gate]\nsound = \"bell_low\"\n"},
"toml-dotted": {"fx.toml":'[events.storm]\nsound = "gull_far"\n\n[events.gate]\nsound = "bell_low"\n'},
"json-where": {"fx.json":json.dumps({"storm begins":{"sound":"gull_far","place":"pier"},"gate opens":{"sound":"bell_low","place":"yard"},"dusk":{"sound":"bell_low","place":"pier"}},indent=1)},
"lua": {"fx.lua":"return {\n  storm = { sound = \"gull_far\" },\n  gate = { sound = \"bell_low\" },\n}\n"},
}
@pytest.mark.parametrize("name",C)
def test_it(name,tmp_path,monkeypatch):
    monkeypatch.setenv("ICHNOS_DATA",str(tmp_path/"data"))
    lay_pack(tmp_path/"pack",{**D,**C[name]},F)
    d=run("learn","pack","--to","draft",cwd=tmp_path)
    print("##",name,d.code); print(d.out+d.err)
    for p in (tmp_path/"draft/tree").glob("fx*"): print("   ",p.read_text().replace("\n","\n    "))
