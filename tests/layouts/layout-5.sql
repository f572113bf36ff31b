BEGIN TRANSACTION;
CREATE TABLE fenland_accounts (
	name VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	roles JSON NOT NULL, 
	created_at DATETIME NOT NULL, 
	attributes JSON, 
	disabled BOOLEAN, 
	password TEXT, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_accounts" VALUES('ada','ada','["editor"]','2026-11-25T21:30:02.666557Z','{}',0,NULL);
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
INSERT INTO "fenland_definitions" VALUES(1,'2026-11-25T21:30:01.970444Z','fenland','start','{"collections":{"notes":{"title":"Notes","singular":"Note","description":"A first collection. Change it, or put another file beside it.","key":"slug","owner":"author","access":{"read":["everyone"],"create":["editor"],"update":["owner","editor"],"delete":["editor"],"transfer":["editor"]},"fields":{"price":{"type":"number","title":"Price","multipleOf":0.01},"parent":{"references":"notes","title":"Parent"},"slug":{"type":"string","title":"Slug","required":true,"unique":true,"fixed":true,"pattern":"^[a-z0-9-]+$","examples":["first-note"]},"title":{"type":"string","title":"Title","required":true,"maxLength":120,"search":true},"body":{"type":"string","title":"Body","maxLength":5000,"search":true,"blank":"clear"},"pinned":{"type":"boolean","title":"Pinned","required":true,"default":false},"due_on":{"type":"string","format":"date","title":"Due on"},"author":{"type":"string","title":"Author","required":true}}},"people":{"title":"People","singular":"Person","key":"number","access":{"read":["everyone"],"create":["editor"],"update":["editor"],"delete":["editor"]},"fields":{"number":{"type":"integer","required":true,"unique":true,"fixed":true},"phone":{"type":"string","sensitive":true,"blank":"keep"},"pin":{"type":"string","writeOnly":true},"holding":{"type":"number","multipleOf":0.01},"reach":{"type":"number"},"address":{"type":"object","properties":{"line":{"type":"string"},"village":{"type":"string"}}}}}},"roles":["editor"]}','[]','[]',0);
CREATE TABLE fenland_history (
	sequence INTEGER NOT NULL, 
	time DATETIME NOT NULL, 
	collection VARCHAR NOT NULL, 
	record_id VARCHAR(36) NOT NULL, 
	"key" TEXT NOT NULL, 
	version BIGINT NOT NULL, 
	action VARCHAR NOT NULL, 
	actor VARCHAR NOT NULL, 
	behalf VARCHAR, 
	via VARCHAR NOT NULL, 
	request_id VARCHAR NOT NULL, 
	reason TEXT, 
	cause INTEGER, 
	changes JSON NOT NULL, 
	client VARCHAR, 
	PRIMARY KEY (sequence)
);
INSERT INTO "fenland_history" VALUES(1,'2026-11-25T21:30:01.970444Z','fenland_definitions','00000000-0000-0000-0000-000000000000','1',1,'migrate','fenland',NULL,'start','',NULL,NULL,'{"fenland_roles":[[],["editor"]],"notes":[null,{"title":"Notes","singular":"Note","description":"A first collection. Change it, or put another file beside it.","key":"slug","owner":"author","access":{"read":["everyone"],"create":["editor"],"update":["owner","editor"],"delete":["editor"],"transfer":["editor"]},"fields":{"price":{"type":"number","title":"Price","multipleOf":0.01},"parent":{"references":"notes","title":"Parent"},"slug":{"type":"string","title":"Slug","required":true,"unique":true,"fixed":true,"pattern":"^[a-z0-9-]+$","examples":["first-note"]},"title":{"type":"string","title":"Title","required":true,"maxLength":120,"search":true},"body":{"type":"string","title":"Body","maxLength":5000,"search":true,"blank":"clear"},"pinned":{"type":"boolean","title":"Pinned","required":true,"default":false},"due_on":{"type":"string","format":"date","title":"Due on"},"author":{"type":"string","title":"Author","required":true}}}],"people":[null,{"title":"People","singular":"Person","key":"number","access":{"read":["everyone"],"create":["editor"],"update":["editor"],"delete":["editor"]},"fields":{"number":{"type":"integer","required":true,"unique":true,"fixed":true},"phone":{"type":"string","sensitive":true,"blank":"keep"},"pin":{"type":"string","writeOnly":true},"holding":{"type":"number","multipleOf":0.01},"reach":{"type":"number"},"address":{"type":"object","properties":{"line":{"type":"string"},"village":{"type":"string"}}}}}]}',NULL);
INSERT INTO "fenland_history" VALUES(2,'2026-11-25T21:30:02.724236Z','notes','01a2149d-9a64-728f-8b16-59ce149c2fca','"first-note"',1,'create','ada',NULL,'api','fd001c8dd4000001',NULL,NULL,'{"price":[null,1.50],"slug":[null,"first-note"],"title":[null,"First"],"pinned":[null,false],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(3,'2026-11-25T21:30:02.732140Z','notes','01a2149d-9a64-728f-8b16-59ce149c2fca','"first-note"',2,'update','ada',NULL,'api','fd001c8dd4000002',NULL,NULL,'{"price":[1.50,2.25],"pinned":[false,true]}',NULL);
INSERT INTO "fenland_history" VALUES(4,'2026-11-25T21:30:02.739714Z','notes','01a2149d-9a73-7a8f-a446-fdc612138878','"second"',1,'create','ada',NULL,'api','fd001c8dd4000003',NULL,NULL,'{"parent":[null,"first-note"],"slug":[null,"second"],"title":[null,"Second"],"pinned":[null,false],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(5,'2026-11-25T21:30:02.743948Z','notes','01a2149d-9a77-7e87-8dca-7ac7b8f3859f','"third"',1,'create','ada',NULL,'api','fd001c8dd4000004',NULL,NULL,'{"slug":[null,"third"],"title":[null,"Third"],"pinned":[null,false],"author":[null,"ada"]}',NULL);
INSERT INTO "fenland_history" VALUES(6,'2026-11-25T21:30:02.753000Z','notes','01a2149d-9a77-7e87-8dca-7ac7b8f3859f','"third"',2,'delete','ada',NULL,'api','fd001c8dd4000005',NULL,NULL,'{"slug":["third",null],"title":["Third",null],"pinned":[false,null],"author":["ada",null]}',NULL);
INSERT INTO "fenland_history" VALUES(7,'2026-11-25T21:30:02.756896Z','people','01a2149d-9a84-7d9d-b2ff-333add469fc7','7',1,'create','ada',NULL,'api','fd001c8dd4000006',NULL,NULL,'{"number":[null,7],"phone":[null,"01632 960111"],"pin":[null,"4417"],"holding":[null,12.50],"reach":[null,0.1],"address":[null,{"line":"1 Long Drove","village":"Sedgeholm"}]}',NULL);
INSERT INTO "fenland_history" VALUES(8,'2026-11-25T21:30:02.763014Z','people','01a2149d-9a84-7d9d-b2ff-333add469fc7','7',2,'update','ada',NULL,'api','fd001c8dd4000007','moved',NULL,'{"phone":["01632 960111","01632 960222"],"reach":[0.1,1e+21],"address":[{"line":"1 Long Drove","village":"Sedgeholm"},{"line":"1 Long Drove","village":"Wickmere"}]}',NULL);
INSERT INTO "fenland_history" VALUES(9,'2026-11-25T21:30:02.768354Z','people','01a2149d-9a84-7d9d-b2ff-333add469fc7','7',3,'update','ada',NULL,'api','fd001c8dd4000008',NULL,NULL,'{"pin":["4417","9081"]}',NULL);
CREATE TABLE fenland_meta (
	name VARCHAR NOT NULL, 
	value JSON NOT NULL, 
	PRIMARY KEY (name)
);
INSERT INTO "fenland_meta" VALUES('layout',5);
CREATE TABLE fenland_outcomes (
	account VARCHAR NOT NULL, 
	"key" VARCHAR NOT NULL, 
	fingerprint VARCHAR(64) NOT NULL, 
	content JSON NOT NULL, 
	expires_at DATETIME NOT NULL, 
	PRIMARY KEY (account, "key")
);
INSERT INTO "fenland_outcomes" VALUES('ada','k2','6f6f298c7f0242de0d7fa68776fa87749cc93a4181c99dd5341e9cbced2c650f','{"collection":"notes","record":{"id":"01a2149d-9a73-7a8f-a446-fdc612138878","version":1,"created_at":"2026-11-25T21:30:02.739714Z","created_by":"ada","updated_at":"2026-11-25T21:30:02.739714Z","updated_by":"ada","price":null,"parent":"first-note","slug":"second","title":"Second","body":null,"pinned":false,"due_on":null,"author":"ada"},"changed":true,"etag":"\"01a2149d-9a73-7a8f-a446-fdc612138878.1\"","dropped":[],"definitions":1}','2026-11-26T21:30:02.740256Z');
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
	PRIMARY KEY (hash), 
	FOREIGN KEY(account) REFERENCES fenland_accounts (name)
);
INSERT INTO "fenland_tokens" VALUES('bd960306131605bcc16604dd02f51711271b6d7fbe4ec0eacbe171f0da453d95','ada','','2026-11-25T21:30:02.668997Z',NULL,NULL,'token',NULL,'2026-11-25T21:30:02.767422Z',NULL);
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
INSERT INTO "notes" VALUES('01a2149d-9a64-728f-8b16-59ce149c2fca',2,'2026-11-25T21:30:02.724236Z','ada','2026-11-25T21:30:02.732140Z','ada',225,NULL,'first-note','First',NULL,1,NULL,'ada');
INSERT INTO "notes" VALUES('01a2149d-9a73-7a8f-a446-fdc612138878',1,'2026-11-25T21:30:02.739714Z','ada','2026-11-25T21:30:02.739714Z','ada',NULL,'first-note','second','Second',NULL,0,NULL,'ada');
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
INSERT INTO "people" VALUES('01a2149d-9a84-7d9d-b2ff-333add469fc7',3,'2026-11-25T21:30:02.756896Z','ada','2026-11-25T21:30:02.768354Z','ada',7,'01632 960222','9081',1250,1.0e+21,'{"line":"1 Long Drove","village":"Wickmere"}');
CREATE INDEX notes_by_author ON notes (author, id);
CREATE INDEX notes_by_due_on ON notes (due_on, id);
CREATE INDEX notes_by_parent ON notes (parent, id);
CREATE INDEX ix_fenland_outcomes_expires_at ON fenland_outcomes (expires_at);
CREATE UNIQUE INDEX fenland_history_by_record ON fenland_history (record_id, version);
CREATE INDEX fenland_history_deleted ON fenland_history (collection, "key") WHERE action = 'delete';
CREATE TRIGGER fenland_history_no_update BEFORE UPDATE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
CREATE TRIGGER fenland_history_no_delete BEFORE DELETE ON fenland_history BEGIN SELECT RAISE(ABORT, 'fenland_history is append-only'); END;
PRAGMA user_version=1;
COMMIT;
