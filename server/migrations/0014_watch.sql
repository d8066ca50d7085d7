CREATE TABLE "looks" (
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"look" jsonb NOT NULL,
	CONSTRAINT "looks_topology_id_environment_pk" PRIMARY KEY("topology_id","environment")
);
--> statement-breakpoint
CREATE TABLE "points" (
	"store_id" integer NOT NULL,
	"step" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"looks" integer NOT NULL,
	"waiting" double precision NOT NULL,
	"most_waiting" double precision NOT NULL,
	"in_hand" double precision NOT NULL,
	"delayed" double precision NOT NULL,
	"takers" double precision NOT NULL,
	"came" double precision NOT NULL,
	"went" double precision NOT NULL,
	CONSTRAINT "points_store_id_step_at_pk" PRIMARY KEY("store_id","step","at")
);
--> statement-breakpoint
CREATE TABLE "watched_stores" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "watched_stores_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"broker" text NOT NULL,
	"store" text NOT NULL
);
--> statement-breakpoint
ALTER TABLE "looks" ADD CONSTRAINT "looks_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "points" ADD CONSTRAINT "points_store_id_watched_stores_id_fk" FOREIGN KEY ("store_id") REFERENCES "public"."watched_stores"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "watched_stores" ADD CONSTRAINT "watched_stores_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "points_step_at_index" ON "points" USING btree ("step","at");--> statement-breakpoint
CREATE UNIQUE INDEX "watched_stores_topology_id_environment_broker_store_index" ON "watched_stores" USING btree ("topology_id","environment","broker","store");