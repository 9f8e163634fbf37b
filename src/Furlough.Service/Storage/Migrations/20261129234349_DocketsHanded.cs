using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class DocketsHanded : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "HandedAt",
                table: "Dockets",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "Withdrawn",
                table: "Dockets",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            // Their machines may have them.
            migrationBuilder.Sql("""UPDATE "Dockets" SET "HandedAt" = "IssuedAt";""");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "HandedAt",
                table: "Dockets");

            migrationBuilder.DropColumn(
                name: "Withdrawn",
                table: "Dockets");
        }
    }
}
