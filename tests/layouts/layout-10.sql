BEGIN TRANSACTION;
CREATE TABLE fenland_accounts (
	name VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	roles JSON NOT NULL, 
	created_at DATETIME NOT NULL, 
	attributes JSON, 
	disabled BOOLEAN, 
	password TEXT, 
	version INTEGER, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_accounts" VALUES('ada','ada','["editor"]','2026-11-29T22:44:17.256458Z','{}',0,NULL,1);
CREATE TABLE fenland_archived (
	sequence INTEGER NOT NULL, 
	nodes BLOB NOT NULL, 
	PRIMARY KEY (sequence)
);
CREATE TABLE fenland_archives (
	last INTEGER NOT NULL, 
	first INTEGER NOT NULL, 
	file TEXT NOT NULL, 
	digest VARCHAR(64) NOT NULL, 
	time DATETIME NOT NULL, 
	PRIMARY KEY (last)
);
CREATE TABLE fenland_attempts (
	number INTEGER NOT NULL, 
	delivery INTEGER NOT NULL, 
	time DATETIME NOT NULL, 
	milliseconds INTEGER NOT NULL, 
	status INTEGER, 
	why TEXT NOT NULL, 
	answer TEXT NOT NULL, 
	PRIMARY KEY (number)
);
CREATE TABLE fenland_definitions (
	number INTEGER NOT NULL, 
	time DATETIME NOT NULL, 
	actor VARCHAR NOT NULL, 
	via VARCHAR NOT NULL, 
	content JSON NOT NULL, 
	steps JSON NOT NULL, 
	moved JSON NOT NULL, 
	sequence BIGINT NOT NULL, 
	PRIMARY KEY (number)
);
INSERT INTO "fenland_definitions" VALUES(1,'2026-11-29T22:44:16.562455Z','fenland','start','{"collections":{"notes":{"title":"Notes","singular":"Note","description":"A first collection. Change it, or put another file beside it.","key":"slug","owner":"author","access":{"read":["everyone"],"create":["editor"],"update":["owner","editor"],"delete":["editor"],"transfer":["editor"]},"fields":{"price":{"type":"number","title":"Price","multipleOf":0.01},"parent":{"references":"notes","title":"Parent"},"slug":{"type":"string","title":"Slug","required":true,"unique":true,"fixed":true,"pattern":"^[a-z0-9-]+$","examples":["first-note"]},"title":{"type":"string","title":"Title","required":true,"maxLength":120,"search":true},"body":{"type":"string","title":"Body","maxLength":5000,"search":true,"blank":"clear"},"pinned":{"type":"boolean","title":"Pinned","required":true,"default":false},"due_on":{"type":"string","format":"date","title":"Due on"},"author":{"type":"string","title":"Author","required":true}}},"people":{"title":"People","singular":"Person","key":"number","access":{"read":["everyone"],"create":["editor"],"update":["editor"],"delete":["editor"]},"fields":{"number":{"type":"integer","required":true,"unique":true,"fixed":true},"phone":{"type":"string","sensitive":true,"blank":"keep"},"pin":{"type":"string","writeOnly":true},"holding":{"type":"number","multipleOf":0.01},"reach":{"type":"number"},"address":{"type":"object","properties":{"line":{"type":"string"},"village":{"type":"string"}}}}}},"roles":["editor"]}','[]','[]',0);
CREATE TABLE fenland_deliveries (
	number INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT, 
	subscription VARCHAR(36) NOT NULL, 
	event VARCHAR NOT NULL, 
	type VARCHAR NOT NULL, 
	sequence INTEGER NOT NULL, 
	collection VARCHAR NOT NULL, 
	record_id VARCHAR(36) NOT NULL, 
	subject TEXT NOT NULL, 
	time DATETIME NOT NULL, 
	state VARCHAR NOT NULL, 
	attempts INTEGER NOT NULL, 
	due DATETIME NOT NULL, 
	until DATETIME NOT NULL, 
	silenced INTEGER NOT NULL
);
CREATE TABLE fenland_heads (
	size INTEGER NOT NULL, 
	root VARCHAR(64) NOT NULL, 
	time DATETIME NOT NULL, 
	signed TEXT NOT NULL, 
	PRIMARY KEY (size)
);
CREATE TABLE fenland_history (
	sequence INTEGER NOT NULL, 
	time DATETIME NOT NULL, 
	salt VARCHAR, 
	collection VARCHAR NOT NULL, 
	record_id VARCHAR NOT NULL, 
	"key" TEXT NOT NULL, 
	version BIGINT NOT NULL, 
	action VARCHAR NOT NULL, 
	actor VARCHAR NOT NULL, 
	behalf VARCHAR, 
	via VARCHAR NOT NULL, 
	client VARCHAR, 
	request_id VARCHAR NOT NULL, 
	batch VARCHAR, 
	reason TEXT, 
	cause INTEGER, 
	undoes INTEGER, 
	restores BIGINT, 
	rule VARCHAR, 
	settled BIGINT, 
	changes TEXT NOT NULL, 
	sealed TEXT, 
	nodes BLOB NOT NULL, 
	PRIMARY KEY (sequence)
);
INSERT INTO "fenland_history" VALUES(1,'2026-11-29T22:44:16.562455Z','aeab92aa4c7308b7e0d435b9d9e82279','fenland_definitions','00000000-0000-0000-0000-000000000000','1',1,'migrate','fenland',NULL,'start',NULL,'',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"fenland_roles":[[],["editor"]],"notes":[null,{"access":{"create":["editor"],"delete":["editor"],"read":["everyone"],"transfer":["editor"],"update":["owner","editor"]},"description":"A first collection. Change it, or put another file beside it.","fields":{"author":{"required":true,"title":"Author","type":"string"},"body":{"blank":"clear","maxLength":5000,"search":true,"title":"Body","type":"string"},"due_on":{"format":"date","title":"Due on","type":"string"},"parent":{"references":"notes","title":"Parent"},"pinned":{"default":false,"required":true,"title":"Pinned","type":"boolean"},"price":{"multipleOf":"=0.01","title":"Price","type":"number"},"slug":{"examples":["first-note"],"fixed":true,"pattern":"^[a-z0-9-]+$","required":true,"title":"Slug","type":"string","unique":true},"title":{"maxLength":120,"required":true,"search":true,"title":"Title","type":"string"}},"key":"slug","owner":"author","singular":"Note","title":"Notes"}],"people":[null,{"access":{"create":["editor"],"delete":["editor"],"read":["everyone"],"update":["editor"]},"fields":{"address":{"properties":{"line":{"type":"string"},"village":{"type":"string"}},"type":"object"},"holding":{"multipleOf":"=0.01","type":"number"},"number":{"fixed":true,"required":true,"type":"integer","unique":true},"phone":{"blank":"keep","sensitive":true,"type":"string"},"pin":{"type":"string","writeOnly":true},"reach":{"type":"number"}},"key":"number","singular":"Person","title":"People"}]}',NULL,X'9F3B7C988220735469AF0F167EF5970944A82CE2EACB31FC439A37E771E11A69');
INSERT INTO "fenland_history" VALUES(2,'2026-11-29T22:44:17.283641Z','ddcf825f1f1eabfcc59accf767924eb0','fenland_accounts','a6d79af5-46d1-54a9-8c1d-776f65ed45cc','"ada"',1,'create','fenland',NULL,'command-line',NULL,'',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"attributes":[null,{}],"disabled":[null,false],"roles":[null,["editor"]],"title":[null,"ada"]}',NULL,X'D721C24A45EE70086771C98B788969F1FC60B97CDDF6BEA1D5233BC1E971F99625AEAD9C3D708ACD0BD3CA8FA1253DE0D19CF619A4DD15672EC363A82224ED8A');
INSERT INTO "fenland_history" VALUES(3,'2026-11-29T22:44:17.296944Z','524fbba6dba178c3d89f3b2c3ab31717','fenland_accounts','a6d79af5-46d1-54a9-8c1d-776f65ed45cc','"ada"',2,'issue_token','fenland',NULL,'command-line',NULL,'',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"token":[null,"4a1c25fd0b"]}',NULL,X'4B5C041AD584706B8FA8FFDC3241C7CB8AA035C36BB963C3E6DF632F27F4FACA');
INSERT INTO "fenland_history" VALUES(4,'2026-11-29T22:44:17.387081Z','cd67ba3b7fd2ebbc291a1a2f8953d4c0','notes','01a2297b-036b-714b-a0cc-d1bf2c3ba55e','"first-note"',1,'create','ada',NULL,'api',NULL,'aab065d3ab000001',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"pinned":[null,false],"price":[null,"=1.25"],"slug":[null,"first-note"],"title":[null,"First"]}',NULL,X'7653A872058E4960F53BC2201442BB32342808DFEAF02D0736CD0756D42A07BA69C74E3D99EB2C0C8EF105E62DBA554AB2E352CDDBD15905DA7B626239DBD29BC8172ECF5DD3382EDA8AC306BFCA1F8D4C97F58F28D761CC74E59761B158BE34');
INSERT INTO "fenland_history" VALUES(5,'2026-11-29T22:44:17.413113Z','c258706e2f5fa7dd14c06c52c3b4ce53','notes','01a2297b-036b-714b-a0cc-d1bf2c3ba55e','"first-note"',2,'update','ada',NULL,'api',NULL,'aab065d3ab000002',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"pinned":[false,true],"price":["=1.25","=2.25"]}',NULL,X'8E0F7749A1524537945157BE38EB319BDFC39F2D5A79E025ED1ED8454CF9C3BF');
INSERT INTO "fenland_history" VALUES(6,'2026-11-29T22:44:17.432440Z','64739c4c7dcd45dc5b7ee188d7efa204','notes','01a2297b-0398-770a-97c5-86988e599942','"second"',1,'create','ada',NULL,'api',NULL,'aab065d3ab000003',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"parent":[null,"first-note"],"pinned":[null,false],"slug":[null,"second"],"title":[null,"Second"]}',NULL,X'5AE7E2198DA033A46B21C39EA1600E4BC1FDED47946A9F677FE1234191388D68A564B014843B673D9C9BA2B40643C38DA38AA0F880D7B250034C3CED03173107');
INSERT INTO "fenland_history" VALUES(7,'2026-11-29T22:44:17.447877Z','e21a019851a99532eed97ddcd6c2706d','notes','01a2297b-03a7-7e08-a800-2d7e61e556bc','"third"',1,'create','ada',NULL,'api',NULL,'aab065d3ab000004',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"pinned":[null,false],"slug":[null,"third"],"title":[null,"Third"]}',NULL,X'65C7FF4739B708C22205F3EDD995200F770C8E8496104E8C6E3A3847942868E1');
INSERT INTO "fenland_history" VALUES(8,'2026-11-29T22:44:17.451928Z','de606b7ee1d2ae34133f38188bc5557b','notes','01a2297b-03a7-7e08-a800-2d7e61e556bc','"third"',2,'delete','ada',NULL,'api',NULL,'aab065d3ab000005',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"author":["ada",null],"pinned":[false,null],"slug":["third",null],"title":["Third",null]}',NULL,X'A0BA608AEBA622F9634E158FED80855C49548A8A22CD8A590E5F7C524A97CFF33E2A054B1C265257F020EF74C24C8D5552F1582C20ED6D481CCA9DB8885C47262C87E6592D4F6749FC03205124BF470A37E633A3669B12D39CE154DE167D49922B7FCA5E176BC91FBFA17714F914A4D8FDA37E497E259759A5106A50D20772E6');
INSERT INTO "fenland_history" VALUES(9,'2026-11-29T22:44:17.480545Z','b6edb6b3c23b533e57d5d0067f7b5908','people','01a2297b-03c8-78b8-83c9-b8862e943791','7',1,'create','ada',NULL,'api',NULL,'aab065d3ab000006',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{"address":[null,{"line":"1 Long Drove","village":"Welney"}],"holding":[null,"=12.50"],"number":[null,7],"reach":[null,"=1000000000000000000000"]}','{"phone":[null,"3785f1cc4f185018d079c08d751074310919ee25ecb930f9fe2e1e895d0fbbff"],"pin":[null,"2f26374f7b5f8a163cf80e4521eae8b520cec94262794a6c860e6cb425b9a83d"]}',X'D5ADE699FBC2A1D585F306ADF8FD0044D85BE85C4701102E3AB319BDCE3E10F8');
INSERT INTO "fenland_history" VALUES(10,'2026-11-29T22:44:17.525766Z','25b94df0fc81f63e4e40691e5f539016','people','01a2297b-03c8-78b8-83c9-b8862e943791','7',2,'update','ada',NULL,'api',NULL,'aab065d3ab000007',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{}','{"phone":["b079e5c096efb6fd71b57c97adba5b1bf99c65230e7e8c62379ac851f5c7cca9","fe8578c6d86bec7a5570d579ddbd71a97278034524fa7a6bc9c0b1f8fa3f1145"]}',X'E69E6B2ED7F69C20AECABEC174F88DCBEC1F011F4743BB5AAC9BC412106DBD79255CAE7ADB4E217D16BEB1C782234B74E9EBB8CF235B570E06FCAA54500AF882');
INSERT INTO "fenland_history" VALUES(11,'2026-11-29T22:44:17.549516Z','62647120ffc3d460e400c877ad5f4572','people','01a2297b-03c8-78b8-83c9-b8862e943791','7',3,'update','ada',NULL,'api',NULL,'aab065d3ab000008',NULL,NULL,NULL,NULL,NULL,NULL,NULL,'{}','{"pin":["8b190553f636afd32e2f84c37a9b472507378a4641fbe2879e2b0f166b93a08b","f835e3475dd9fdc682924c6b68818c4e94b4e05c805663568664e5e219c518e0"]}',X'D1F9FBE2173CF13C456859A48D4703F2A103182E79B894BCC098B17A9B5E1899');
CREATE TABLE fenland_keys (
	id VARCHAR NOT NULL, 
	"key" JSON NOT NULL, 
	since DATETIME NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE fenland_meta (
	name VARCHAR NOT NULL, 
	value JSON NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_meta" VALUES('layout',10);
CREATE TABLE fenland_notices (
	number INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT, 
	name VARCHAR NOT NULL, 
	time DATETIME NOT NULL, 
	collection VARCHAR NOT NULL, 
	record_id VARCHAR(36) NOT NULL, 
	"key" TEXT NOT NULL, 
	sequence INTEGER NOT NULL, 
	rule VARCHAR NOT NULL, 
	data JSON NOT NULL
);
CREATE TABLE fenland_outcomes (
	account VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	fingerprint VARCHAR(64) NOT NULL, 
	content JSON NOT NULL, 
	expires_at DATETIME NOT NULL, 
	PRIMARY KEY (account, "key")
);
CREATE TABLE fenland_sealed (
	sequence INTEGER NOT NULL, 
	field VARCHAR NOT NULL, 
	side INTEGER NOT NULL, 
	record_id VARCHAR(36) NOT NULL, 
	salt BLOB NOT NULL, 
	value TEXT, 
	PRIMARY KEY (sequence, field, side)
)
 WITHOUT ROWID

;
INSERT INTO "fenland_sealed" VALUES(9,'phone',1,'01a2297b-03c8-78b8-83c9-b8862e943791',X'76F62424E443D2C4C53E22F8A49EA4DF','"01632 960111"');
INSERT INTO "fenland_sealed" VALUES(9,'pin',1,'01a2297b-03c8-78b8-83c9-b8862e943791',X'AE79C309A3E7DA10129C5E06FE4F6E42',NULL);
INSERT INTO "fenland_sealed" VALUES(10,'phone',0,'01a2297b-03c8-78b8-83c9-b8862e943791',X'5F593A56DF4E0B063E86A10ED2CCF001','"01632 960111"');
INSERT INTO "fenland_sealed" VALUES(10,'phone',1,'01a2297b-03c8-78b8-83c9-b8862e943791',X'BBA1B3EEE63114BC8F5026165B38732D','"01632 960222"');
INSERT INTO "fenland_sealed" VALUES(11,'pin',0,'01a2297b-03c8-78b8-83c9-b8862e943791',X'934FEC348E707E448573C6BFDE5A0001',NULL);
INSERT INTO "fenland_sealed" VALUES(11,'pin',1,'01a2297b-03c8-78b8-83c9-b8862e943791',X'132FF9177D3425DF39C992D6B7BFB449',NULL);
CREATE TABLE fenland_subscriptions (
	id VARCHAR(36) NOT NULL, 
	name VARCHAR NOT NULL, 
	version INTEGER NOT NULL, 
	account VARCHAR NOT NULL, 
	url TEXT NOT NULL, 
	collections JSON NOT NULL, 
	"where" TEXT NOT NULL, 
	data VARCHAR NOT NULL, 
	notices JSON NOT NULL, 
	secrets JSON NOT NULL, 
	paused BOOLEAN NOT NULL, 
	why TEXT NOT NULL, 
	place VARCHAR NOT NULL, 
	notice INTEGER NOT NULL, 
	failing_since DATETIME, 
	PRIMARY KEY (id), 
	UNIQUE (name), 
	FOREIGN KEY(account) REFERENCES fenland_accounts (name)
);
CREATE TABLE fenland_terms (
	segment INTEGER NOT NULL, 
	term BIGINT NOT NULL, 
	block INTEGER NOT NULL, 
	entries BIGINT NOT NULL, 
	PRIMARY KEY (segment, term, block)
)
 WITHOUT ROWID

;
CREATE TABLE fenland_tokens (
	hash VARCHAR(64) NOT NULL, 
	account VARCHAR NOT NULL, 
	label VARCHAR NOT NULL, 
	created_at DATETIME NOT NULL, 
	expires_at DATETIME, 
	revoked_at DATETIME, 
	kind VARCHAR, 
	scope JSON, 
	used_at DATETIME, 
	idle INTEGER, 
	made_with VARCHAR, 
	PRIMARY KEY (hash), 
	FOREIGN KEY(account) REFERENCES fenland_accounts (name)
);
INSERT INTO "fenland_tokens" VALUES('4a1c25fd0bccb59987847b09d1557f6d20d7488ad7269e6ad6e87191e2353cb9','ada','','2026-11-29T22:44:17.288448Z',NULL,NULL,'token',NULL,'2026-11-29T22:44:17.538535Z',NULL,NULL);
CREATE TABLE notes (
	id VARCHAR(36) NOT NULL, 
	version BIGINT NOT NULL, 
	created_at DATETIME NOT NULL, 
	created_by VARCHAR NOT NULL, 
	updated_at DATETIME NOT NULL, 
	updated_by VARCHAR NOT NULL, 
	price BIGINT, 
	parent TEXT, 
	slug TEXT NOT NULL, 
	title VARCHAR(120) NOT NULL, 
	body VARCHAR(5000), 
	pinned BOOLEAN NOT NULL, 
	due_on DATE, 
	author TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(parent) REFERENCES notes (slug) DEFERRABLE INITIALLY DEFERRED, 
	UNIQUE (slug)
);
INSERT INTO "notes" VALUES('01a2297b-036b-714b-a0cc-d1bf2c3ba55e',2,'2026-11-29T22:44:17.387081Z','ada','2026-11-29T22:44:17.413113Z','ada',225,NULL,'first-note','First',NULL,1,NULL,'ada');
INSERT INTO "notes" VALUES('01a2297b-0398-770a-97c5-86988e599942',1,'2026-11-29T22:44:17.432440Z','ada','2026-11-29T22:44:17.432440Z','ada',NULL,'first-note','second','Second',NULL,0,NULL,'ada');
CREATE TABLE people (
	id VARCHAR(36) NOT NULL, 
	version BIGINT NOT NULL, 
	created_at DATETIME NOT NULL, 
	created_by VARCHAR NOT NULL, 
	updated_at DATETIME NOT NULL, 
	updated_by VARCHAR NOT NULL, 
	number BIGINT NOT NULL, 
	phone TEXT, 
	pin TEXT, 
	holding BIGINT, 
	reach FLOAT, 
	address JSON, 
	PRIMARY KEY (id), 
	UNIQUE (number)
);
INSERT INTO "people" VALUES('01a2297b-03c8-78b8-83c9-b8862e943791',3,'2026-11-29T22:44:17.480545Z','ada','2026-11-29T22:44:17.549516Z','ada',7,'01632 960222','9081',1250,1.0e+21,'{"line":"1 Long Drove","village":"Welney"}');
CREATE INDEX notes_by_author ON notes (author, id);
CREATE INDEX notes_by_due_on ON notes (due_on, id);
CREATE INDEX notes_by_parent ON notes (parent, id);
CREATE INDEX ix_fenland_outcomes_expires_at ON fenland_outcomes (expires_at);
CREATE UNIQUE INDEX fenland_history_by_record ON fenland_history (record_id, version);
CREATE INDEX fenland_history_deleted ON fenland_history (collection, "key") WHERE action = 'delete';
CREATE INDEX fenland_history_deleted_ids ON fenland_history (collection, record_id) WHERE action = 'delete';
CREATE TRIGGER fenland_history_no_update BEFORE UPDATE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
CREATE TRIGGER fenland_history_no_delete BEFORE DELETE ON fenland_history WHEN NOT EXISTS (SELECT 1 FROM fenland_archives WHERE last >= OLD.sequence) BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
CREATE INDEX fenland_sealed_by_record ON fenland_sealed (record_id, field);
CREATE INDEX fenland_notices_by_record ON fenland_notices (record_id);
CREATE INDEX fenland_notices_by_time ON fenland_notices (time);
CREATE UNIQUE INDEX fenland_deliveries_by_event ON fenland_deliveries (subscription, event);
CREATE INDEX fenland_deliveries_by_record ON fenland_deliveries (record_id);
CREATE INDEX fenland_deliveries_by_state ON fenland_deliveries (subscription, state, record_id, sequence);
CREATE INDEX fenland_deliveries_by_until ON fenland_deliveries (until);
CREATE INDEX fenland_attempts_by_delivery ON fenland_attempts (delivery, number);
DELETE FROM "sqlite_sequence";
COMMIT;
