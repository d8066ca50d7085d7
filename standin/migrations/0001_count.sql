CREATE TABLE "standin"."passages" (
	"thing" integer NOT NULL,
	"came" bigint DEFAULT 0 NOT NULL,
	"went" bigint DEFAULT 0 NOT NULL
);
--> statement-breakpoint
ALTER TABLE "standin"."passages" ADD CONSTRAINT "passages_thing_things_id_fk" FOREIGN KEY ("thing") REFERENCES "standin"."things"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "passages_of_thing" ON "standin"."passages" USING btree ("thing");--> statement-breakpoint
CREATE FUNCTION "standin"."note_came"() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO "standin"."passages" ("thing", "came")
    SELECT "new_rows"."store", count(*) FROM "new_rows" GROUP BY "new_rows"."store";
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE FUNCTION "standin"."note_went"() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- a store that is removed takes its messages along, and then has no count
  INSERT INTO "standin"."passages" ("thing", "went")
    SELECT "old_rows"."store", count(*) FROM "old_rows"
    JOIN "standin"."things" ON "things"."id" = "old_rows"."store" GROUP BY "old_rows"."store";
  RETURN NULL;
END $$;
--> statement-breakpoint
CREATE TRIGGER "messages_came" AFTER INSERT ON "standin"."messages" REFERENCING NEW TABLE AS "new_rows"
  FOR EACH STATEMENT EXECUTE FUNCTION "standin"."note_came"();
--> statement-breakpoint
CREATE TRIGGER "messages_went" AFTER DELETE ON "standin"."messages" REFERENCING OLD TABLE AS "old_rows"
  FOR EACH STATEMENT EXECUTE FUNCTION "standin"."note_went"();
