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
INSERT INTO "fenland_accounts" VALUES('ada','ada','["editor"]','2026-11-29T19:17:45.354177Z','{}',0,NULL,1);
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
INSERT INTO "fenland_definitions" VALUES(1,'2026-11-29T19:17:45.206764Z','fenland','start','{"collections":{"notes":{"title":"Notes","singular":"Note","description":"A first collection. Change it, or put another file beside it.","key":"slug","owner":"author","access":{"read":["everyone"],"create":["editor"],"update":["owner","editor"],"delete":["editor"],"transfer":["editor"]},"fields":{"price":{"type":"number","title":"Price","multipleOf":0.01},"parent":{"references":"notes","title":"Parent"},"slug":{"type":"string","title":"Slug","required":true,"unique":true,"fixed":true,"pattern":"^[a-z0-9-]+$","examples":["first-note"]},"title":{"type":"string","title":"Title","required":true,"maxLength":120,"search":true},"body":{"type":"string","title":"Body","maxLength":5000,"search":true,"blank":"clear"},"pinned":{"type":"boolean","title":"Pinned","required":true,"default":false},"due_on":{"type":"string","format":"date","title":"Due on"},"author":{"type":"string","title":"Author","required":true}}},"people":{"title":"People","singular":"Person","key":"number","access":{"read":["everyone"],"create":["editor"],"update":["editor"],"delete":["editor"]},"fields":{"number":{"type":"integer","required":true,"unique":true,"fixed":true},"phone":{"type":"string","sensitive":true,"blank":"keep"},"pin":{"type":"string","writeOnly":true},"holding":{"type":"number","multipleOf":0.01},"reach":{"type":"number"},"address":{"type":"object","properties":{"line":{"type":"string"},"village":{"type":"string"}}}}}},"roles":["editor"]}','[]','[]',0);
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
	changes TEXT NOT NULL, 
	sealed TEXT, 
	nodes BLOB NOT NULL, 
	PRIMARY KEY (sequence)
);
INSERT INTO "fenland_history" VALUES(1,'2026-11-29T19:17:45.206764Z','318c9c1a4e5cfba46c5a366429bf2dc7','fenland_definitions','00000000-0000-0000-0000-000000000000','1',1,'migrate','fenland',NULL,'start',NULL,'',NULL,NULL,NULL,NULL,NULL,'{"fenland_roles":[[],["editor"]],"notes":[null,{"access":{"create":["editor"],"delete":["editor"],"read":["everyone"],"transfer":["editor"],"update":["owner","editor"]},"description":"A first collection. Change it, or put another file beside it.","fields":{"author":{"required":true,"title":"Author","type":"string"},"body":{"blank":"clear","maxLength":5000,"search":true,"title":"Body","type":"string"},"due_on":{"format":"date","title":"Due on","type":"string"},"parent":{"references":"notes","title":"Parent"},"pinned":{"default":false,"required":true,"title":"Pinned","type":"boolean"},"price":{"multipleOf":"=0.01","title":"Price","type":"number"},"slug":{"examples":["first-note"],"fixed":true,"pattern":"^[a-z0-9-]+$","required":true,"title":"Slug","type":"string","unique":true},"title":{"maxLength":120,"required":true,"search":true,"title":"Title","type":"string"}},"key":"slug","owner":"author","singular":"Note","title":"Notes"}],"people":[null,{"access":{"create":["editor"],"delete":["editor"],"read":["everyone"],"update":["editor"]},"fields":{"address":{"properties":{"line":{"type":"string"},"village":{"type":"string"}},"type":"object"},"holding":{"multipleOf":"=0.01","type":"number"},"number":{"fixed":true,"required":true,"type":"integer","unique":true},"phone":{"blank":"keep","sensitive":true,"type":"string"},"pin":{"type":"string","writeOnly":true},"reach":{"type":"number"}},"key":"number","singular":"Person","title":"People"}]}',NULL,X'52606168B936D7257432EA8D8BBF52CAA8F2D6A2D1150D7B99D8422FAEB82C1C');
INSERT INTO "fenland_history" VALUES(2,'2026-11-29T19:17:45.359799Z','9c66c2692adf584800ac84c86e2dfaa7','fenland_accounts','a6d79af5-46d1-54a9-8c1d-776f65ed45cc','"ada"',1,'create','fenland',NULL,'command-line',NULL,'',NULL,NULL,NULL,NULL,NULL,'{"attributes":[null,{}],"disabled":[null,false],"roles":[null,["editor"]],"title":[null,"ada"]}',NULL,X'2B233400E8E2B1E3443F3A13B644DDBDDC800526704D5D683CAB411307144A13A6E6C2516A42A597C1B49C31A024D50168D0E8843C2A371339D1B5E9B6DB6DB8');
INSERT INTO "fenland_history" VALUES(3,'2026-11-29T19:17:45.366832Z','24bbf994a76b5bed49c24967517d7122','fenland_accounts','a6d79af5-46d1-54a9-8c1d-776f65ed45cc','"ada"',2,'issue_token','fenland',NULL,'command-line',NULL,'',NULL,NULL,NULL,NULL,NULL,'{"token":[null,"82db9849c7"]}',NULL,X'D62A71B3473598DC27C087194FD6BCC6DD25569CA0735C5E125D19DE94E3787B');
INSERT INTO "fenland_history" VALUES(4,'2026-11-29T19:17:45.414335Z','9c90e157a7fb28bf87f91a465e493c46','notes','01a228bd-ed46-755c-a9cf-c35f3143a69c','"first-note"',1,'create','ada',NULL,'api',NULL,'007141701b000001',NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"pinned":[null,false],"price":[null,"=1.25"],"slug":[null,"first-note"],"title":[null,"First"]}',NULL,X'0A32809037CA4D5EAF7F6C9A0200E2AB71A6F88E83BE41316D6B8091A15BD74C99B02B0B9E0EFCC1974C7B0F9693C3078D533D6FFB107897DA2DD9247DB1D3B0AAC16D53008A69C9A4AC556AA9B5801B2819D40B7C477DEB348B8CB5A97DE80C');
INSERT INTO "fenland_history" VALUES(5,'2026-11-29T19:17:45.421627Z','431945a12b11fa5c95ded20e7031865b','notes','01a228bd-ed46-755c-a9cf-c35f3143a69c','"first-note"',2,'update','ada',NULL,'api',NULL,'007141701b000002',NULL,NULL,NULL,NULL,NULL,'{"pinned":[false,true],"price":["=1.25","=2.25"]}',NULL,X'E07279A0B2464D0511784295AFD0E2BFB60598B0E071A440EC27E7FC3B60038A');
INSERT INTO "fenland_history" VALUES(6,'2026-11-29T19:17:45.425801Z','7544444ab8c7b8191e234c06e5856bf0','notes','01a228bd-ed51-7cd0-b704-97503aaff826','"second"',1,'create','ada',NULL,'api',NULL,'007141701b000003',NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"parent":[null,"first-note"],"pinned":[null,false],"slug":[null,"second"],"title":[null,"Second"]}',NULL,X'3287DDEEDB0D524612C798EB20F4C2E0F1BFDD0A7F11B832184B34FCD859850A37CF7E86A8B83AF9C4A729876F4BB426F907C526394B2501B77E85A9D30671A2');
INSERT INTO "fenland_history" VALUES(7,'2026-11-29T19:17:45.429081Z','f09536bccc078c5cda24a1c35d2ec073','notes','01a228bd-ed55-714b-931a-c4c6afd589fa','"third"',1,'create','ada',NULL,'api',NULL,'007141701b000004',NULL,NULL,NULL,NULL,NULL,'{"author":[null,"ada"],"pinned":[null,false],"slug":[null,"third"],"title":[null,"Third"]}',NULL,X'1F4209702063F73C320B99676D5D2C6A51B2E22DF36CCF289EFDE16C55E852D1');
INSERT INTO "fenland_history" VALUES(8,'2026-11-29T19:17:45.431995Z','6cbd834c417a9811385d6d6b8ccba2b6','notes','01a228bd-ed55-714b-931a-c4c6afd589fa','"third"',2,'delete','ada',NULL,'api',NULL,'007141701b000005',NULL,NULL,NULL,NULL,NULL,'{"author":["ada",null],"pinned":[false,null],"slug":["third",null],"title":["Third",null]}',NULL,X'0D3840EECEAD5212820C1CEBAB001859380966733092838CC3EC930F94933D9E80A3CDC8BE32711BF1A3C7A0A0DCCDCD5E53BD10C44CA0FE70F559C7F22B9A2EC751192DB9E0DFFB04E938B416339992ED8A218C32CE13B3DDAED3D9EB75B011A3ACE693F8BCEC904B66EE919F4459083D85FD5A40C9FF1E58D91D7D5D5AB305');
INSERT INTO "fenland_history" VALUES(9,'2026-11-29T19:17:45.437104Z','91c0655f647205f85508d479daa11e90','people','01a228bd-ed5d-71a9-9af6-599121314fe1','7',1,'create','ada',NULL,'api',NULL,'007141701b000006',NULL,NULL,NULL,NULL,NULL,'{"address":[null,{"line":"1 Long Drove","village":"Welney"}],"holding":[null,"=12.50"],"number":[null,7],"reach":[null,"=1000000000000000000000"]}','{"phone":[null,"bfd079b23c3bfb1bbf7f9fa3e206e6d53a98f8d3d2f979511451d853e43fa308"],"pin":[null,"4f0315dedf25a365d574ad3441808be0bbeac1dfd01f98243289658b9603e69a"]}',X'1847306EA8B886D2F835942ADD55CC36AD8A5FB32C3C8AEB458D23A845265465');
INSERT INTO "fenland_history" VALUES(10,'2026-11-29T19:17:45.444698Z','a9141d39cfaec3a8b8842b1294a7a47e','people','01a228bd-ed5d-71a9-9af6-599121314fe1','7',2,'update','ada',NULL,'api',NULL,'007141701b000007',NULL,NULL,NULL,NULL,NULL,'{}','{"phone":["1741fc5ebcbe804786a54cc0df519009bb44ba0f8580a2e02a81349cfb1b2a2a","9bd4f17203a29fa3c270915628dfe43e69f231de69f708b7ed0e9ff112a37196"]}',X'6569A4DD09316FEFC0A8A5F54BD15587002C20316A0A98625F9103EEBA04310AB9D34BB163E6FDFA87E600CF67B9A2BD12D956B77B39486D35D2D39A606A724B');
INSERT INTO "fenland_history" VALUES(11,'2026-11-29T19:17:45.448850Z','4ba8bddd299e148bceb839b70ada6467','people','01a228bd-ed5d-71a9-9af6-599121314fe1','7',3,'update','ada',NULL,'api',NULL,'007141701b000008',NULL,NULL,NULL,NULL,NULL,'{}','{"pin":["220995ccbe6da711c41b0cc411c5ea6ceb88c03ff83588d8bd12fd5281555848","192e613541caf40852a88f937a33d974f085761be22478440abc7b580c0bf696"]}',X'61038A3844A06ACDE407A509335793DAE4A42E62CEC60CBF087E5B6C64BA71B5');
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
INSERT INTO "fenland_meta" VALUES('layout',7);
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
INSERT INTO "fenland_sealed" VALUES(9,'phone',1,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'E1DCDE98AE99FC09F0C773168CE89EFE','"01632 960111"');
INSERT INTO "fenland_sealed" VALUES(9,'pin',1,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'AF31AD148442483507D72DD3A4EA82AD',NULL);
INSERT INTO "fenland_sealed" VALUES(10,'phone',0,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'E8C34E7D00C3F4C1688E3DC9BBB82815','"01632 960111"');
INSERT INTO "fenland_sealed" VALUES(10,'phone',1,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'00B1FE87A5292037372734549025DA3A','"01632 960222"');
INSERT INTO "fenland_sealed" VALUES(11,'pin',0,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'EE4CD1554EA3EDAF4BD9BB73FF9F2B45',NULL);
INSERT INTO "fenland_sealed" VALUES(11,'pin',1,'01a228bd-ed5d-71a9-9af6-599121314fe1',X'4A1EDDF8B803A7E0ED33C503873EBAEB',NULL);
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
INSERT INTO "fenland_tokens" VALUES('82db9849c7017b2738db29e8fd7840d5d7c4a95e540c0badd6aa1e729282dc7d','ada','','2026-11-29T19:17:45.362681Z',NULL,NULL,'token',NULL,'2026-11-29T19:17:45.448148Z',NULL,NULL);
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
INSERT INTO "notes" VALUES('01a228bd-ed46-755c-a9cf-c35f3143a69c',2,'2026-11-29T19:17:45.414335Z','ada','2026-11-29T19:17:45.421627Z','ada',225,NULL,'first-note','First',NULL,1,NULL,'ada');
INSERT INTO "notes" VALUES('01a228bd-ed51-7cd0-b704-97503aaff826',1,'2026-11-29T19:17:45.425801Z','ada','2026-11-29T19:17:45.425801Z','ada',NULL,'first-note','second','Second',NULL,0,NULL,'ada');
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
INSERT INTO "people" VALUES('01a228bd-ed5d-71a9-9af6-599121314fe1',3,'2026-11-29T19:17:45.437104Z','ada','2026-11-29T19:17:45.448850Z','ada',7,'01632 960222','9081',1250,1.0e+21,'{"line":"1 Long Drove","village":"Welney"}');
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
COMMIT;
