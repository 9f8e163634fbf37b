using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class SteeringAndFormerKeys : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<bool>(
                name: "BackOutWanted",
                table: "Relocations",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<string>(
                name: "FormerKeys",
                table: "Machines",
                type: "TEXT",
                nullable: false,
                defaultValue: "");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "BackOutWanted",
                table: "Relocations");

            migrationBuilder.DropColumn(
                name: "FormerKeys",
                table: "Machines");
        }
    }
}
