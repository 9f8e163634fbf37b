using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class OriginalNumbers : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            // A table whose rows get a new key is written anew: adding the column would give all of them the same one.
            migrationBuilder.Sql("""
                CREATE TABLE "NumberedOriginals" (
                    "Number" INTEGER NOT NULL CONSTRAINT "PK_Originals" PRIMARY KEY AUTOINCREMENT,
                    "Docket" TEXT NOT NULL,
                    "Machine" TEXT NOT NULL,
                    "Relocation" INTEGER NOT NULL,
                    "Body" TEXT NOT NULL,
                    "KeptUntil" INTEGER NOT NULL
                );
                INSERT INTO "NumberedOriginals" ("Docket", "Machine", "Relocation", "Body", "KeptUntil")
                    SELECT "Docket", "Machine", "Relocation", "Body", "KeptUntil" FROM "Originals" ORDER BY "KeptUntil", "Relocation";
                DROP TABLE "Originals";
                ALTER TABLE "NumberedOriginals" RENAME TO "Originals";
                """);

            migrationBuilder.CreateIndex(
                name: "IX_Originals_Docket",
                table: "Originals",
                column: "Docket",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropPrimaryKey(
                name: "PK_Originals",
                table: "Originals");

            migrationBuilder.DropIndex(
                name: "IX_Originals_Docket",
                table: "Originals");

            migrationBuilder.DropColumn(
                name: "Number",
                table: "Originals");

            migrationBuilder.AddPrimaryKey(
                name: "PK_Originals",
                table: "Originals",
                column: "Docket");
        }
    }
}
